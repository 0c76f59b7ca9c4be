"""Several devices on one pack: a line that forks, its junction's volts, and the night that each device lasts."""
