"""Documents cut into passages, and looking passages up."""
