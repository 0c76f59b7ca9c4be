"""The pages of measured and of made parts."""
