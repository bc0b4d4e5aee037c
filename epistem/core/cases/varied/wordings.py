"""Ways to say the same in other words, and sentences that are beside every point. English."""

from __future__ import annotations

SAME = (
    ("I'm", "I am"),
    ("I've", "I have"),
    ("I'd like", "I would like"),
    ("I'll", "I will"),
    ("it's", "it is"),
    ("isn't", "is not"),
    ("wasn't", "was not"),
    ("aren't", "are not"),
    ("don't", "do not"),
    ("doesn't", "does not"),
    ("didn't", "did not"),
    ("can't", "cannot"),
    ("couldn't", "could not"),
    ("won't", "will not"),
    ("haven't", "have not"),
    ("hasn't", "has not"),
    ("what's", "what is"),
    ("where's", "where is"),
    ("we're", "we are"),
    ("they're", "they are"),
    ("that's", "that is"),
    ("there's", "there is"),
)
"""The first for the second, and back where a word follows."""
REPHRASED = (
    ("I want to", "I would like to"),
    ("I need to", "I have to"),
    ("can you", "could you"),
    ("can I", "am I able to"),
    ("is it possible to", "can one"),
    ("thanks", "thank you"),
    ("got", "received"),
    ("buy", "purchase"),
    ("big", "large"),
    ("kid", "child"),
    ("kids", "children"),
    ("begin", "start"),
    ("find out", "learn"),
    ("maybe", "perhaps"),
    ("right now", "at the moment"),
    ("right away", "at once"),
    ("as soon as possible", "as quickly as you can"),
    ("hi", "hello"),
    ("hey", "hello"),
)
"""The first for the second, never back."""
IRRELEVANT = (
    "By the way, it is quite windy here today.",
    "I am writing this with a cup of tea beside me.",
    "My neighbour has just started to mow the lawn.",
    "It has been a long week.",
    "I am typing this on a small keyboard.",
    "The radio is playing an old song as I write.",
)
