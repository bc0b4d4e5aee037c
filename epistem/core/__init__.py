"""The computing core: prompts, cases, checks, trials, evidence. It does no I/O of any kind."""
