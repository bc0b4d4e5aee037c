"""Numbers that the web server and the one who starts it both need."""

STREAMS = 16
"""Event streams of trials open at once. Each holds one of the server's threads."""

TRIES = 12
"""Answers streamed at once. Each holds one of the server's threads, too."""

QUESTIONS = 4
"""Greetings and lists of what a server offers that wait for it at once. Each holds a thread."""

WALKS = 12
"""Walks watched at once. Each holds a thread."""

PROPOSALS = 2
"""Chains that models write from a description at once. Each holds a thread."""

THREADS = STREAMS + TRIES + WALKS + QUESTIONS + PROPOSALS + 12
