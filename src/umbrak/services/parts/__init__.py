"""Part numbers: what is known of one, what a text with one in it says, telling more of one."""
