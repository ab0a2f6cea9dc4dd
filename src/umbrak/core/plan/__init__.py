"""From what is to what shall be: the actions of a plan."""
