"""Machines: the sheet of a model, one unit of it, what is in its slots, who states which limit."""
