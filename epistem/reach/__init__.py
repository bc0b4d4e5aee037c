"""Reaches what tools reach: addresses, sources of rows, what is installed. Each within limits of time and size."""
