"""Finding a hidden fault with a meter: the bench that is probed, what may be wrong with it, what a reading tells."""
