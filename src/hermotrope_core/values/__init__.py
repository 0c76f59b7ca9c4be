"""Numbers as they are typed, known and written: their units, their ranges, their words. Knows nothing of the job."""
