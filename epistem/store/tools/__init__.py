"""What is kept of tools: versions, sources, allowed addresses, what they answered."""
