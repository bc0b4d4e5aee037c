"""Documents out of files: text, Markdown, HTML, tables and PDF, each to its text and its headings.

Some of these take long, or much memory, over a file that was made for that: callers read in a process that
can be ended.
"""
