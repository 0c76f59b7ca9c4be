"""Building and proving: steps ticked, readings taken, runs logged, the record frozen."""
