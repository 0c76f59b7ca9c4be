"""Time, heat and money: the duty’s sums, the night, swaps, standing drain, warmth, what a run shows, what it costs."""
