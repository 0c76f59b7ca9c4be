"""What flows: the operating point, the run to its end, over many draws, in steps of time, and as a netlist."""
