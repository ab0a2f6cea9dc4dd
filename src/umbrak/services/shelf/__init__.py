"""Modules on hand and on offer: showing, putting on, taking off, in tables, and what plans have reserved."""
