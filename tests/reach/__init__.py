"""What tools reach, against real servers and databases."""
