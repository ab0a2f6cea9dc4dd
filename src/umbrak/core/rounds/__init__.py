"""Many machines upgraded together: one Shelf, offers, money, hours, windows and duty groups."""
