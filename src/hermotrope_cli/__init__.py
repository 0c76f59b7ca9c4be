"""The commands that read one case and print one JSON object; they never load Django."""
