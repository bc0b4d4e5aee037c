"""Numbers that the web server and the one who starts it both need."""

STREAMS = 16
"""Event streams open at once. Each holds one of the server's threads."""
