"""Instruments on the bench: real ones through PyVISA, and a simulated set that speaks the same language."""
