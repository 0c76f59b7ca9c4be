"""The Outing: several devices on several packs, for a night."""
