"""What the craft knows of its parts: chemistries, wire, fuses and plugs, warmth; figures as data with their source."""
