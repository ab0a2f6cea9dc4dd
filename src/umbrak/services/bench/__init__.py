"""A plan done at the machine: its run sheet made, shown, printed, and what is entered while working."""
