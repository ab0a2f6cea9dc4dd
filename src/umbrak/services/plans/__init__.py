"""Plans of one machine: starting, editing, answering what they ask, laying them side by side, what
they cost and risk, other ways from there, and a lead's word for their risk."""
