"""What conversions start from: the starter shelf of generic packs and the demonstration devices."""
