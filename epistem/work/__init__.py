"""Use-cases: one function for each thing that a person does, for web, command line and runner."""
