"""How makers come to know: what a label means, what an old supply proves, what a reading gives, which pin is what."""
