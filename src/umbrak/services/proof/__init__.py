"""Whether the work is right: what follows from what was entered of it, what is lacking, and the fault search."""
