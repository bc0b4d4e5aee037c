"""English words that stand everywhere and tell nothing of what a text is about."""

from __future__ import annotations

_LITTLE_WORDS = """
a about above after again all also am an and any are as at be because been before being below both but by can
could did do does doing down during each few for from further had has have having he her here hers him his how
i if in into is it its just me more most my no nor not of off on once only or other our ours out over own same
she should so some such than that the their theirs them then there these they this those through to too under
until up us very was we were what when where which while who whom why will with would you your yours may might
must shall it's that's we're you're there's i'm don't can't won't isn't
"""
LITTLE = frozenset(_LITTLE_WORDS.split())
