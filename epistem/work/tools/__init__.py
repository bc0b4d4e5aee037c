"""Tools that are kept, called and reached."""
