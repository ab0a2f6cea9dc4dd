"""A plan done at the machine: its run sheet made, shown, printed, what is entered while working and proving, and how it ends."""
