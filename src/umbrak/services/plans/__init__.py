"""Plans of one machine: starting, editing, answering what they ask, laying them side by side, and a lead's word for their risk."""
