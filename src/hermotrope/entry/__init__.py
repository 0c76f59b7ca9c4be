"""Fields as people meet them: what they hold, how they are asked for, what was typed."""
