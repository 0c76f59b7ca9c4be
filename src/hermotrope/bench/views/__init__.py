"""Pages: parse, act, render."""
