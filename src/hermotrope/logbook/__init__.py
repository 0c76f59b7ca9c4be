"""The logbook: one timeline over the bench, own notes in it, and the life of each pack."""
