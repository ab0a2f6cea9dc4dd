"""The desk: what wants somebody now, over all machines."""
