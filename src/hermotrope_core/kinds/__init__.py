"""What a stage is, one module per kind: its fields, its effect on volts and amperes, how it is told and put in."""
