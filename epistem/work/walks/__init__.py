"""Walking chains from Draft: beginning a walk, carrying it out, and what is kept of it."""
