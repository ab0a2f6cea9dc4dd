"""Whether the work is right: what is entered of it, what follows from that, the fault search, and how a run ends."""
