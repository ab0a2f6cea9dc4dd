"""What stops a command, said so that its reader can do something about it."""


class Trouble(Exception):
    """A command cannot go on; the text says why and what to do."""
