"""The template language: Jinja2's syntax, read by Jinja2's parser, filled in by our own evaluator.

What a template may do is listed, and everything that it does is paid for out of a budget, so that no
template, however it was written, takes more than a bounded time and memory. `docs/security.md` has
the argument.
"""
