"""Cases in files: read from tables and records of other programs, and written out."""
