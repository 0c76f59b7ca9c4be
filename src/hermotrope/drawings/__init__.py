"""Core results as shapes to draw: geometry only, no database, no templates."""
