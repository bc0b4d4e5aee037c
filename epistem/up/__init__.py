"""Starts and watches the processes that Epistem runs in: database, stand-in, runner, web server."""
