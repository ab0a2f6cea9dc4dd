"""What to buy for plans together: what the Shelf gives, which offers cost least, what is left over of kits."""
