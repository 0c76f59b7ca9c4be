"""Match: every way to feed a device from a shelf, judged and ranked."""
