"""Pages of outings."""
