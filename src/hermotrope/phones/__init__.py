"""A phone beside the laptop: the door to the network, one-time codes, what each phone may do."""
