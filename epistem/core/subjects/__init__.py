"""What subjects of any kind have in common."""
