"""Conversions: the Bench, the feed line and its panels, and every change to them."""
