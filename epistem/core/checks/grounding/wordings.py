"""The usual wordings by which one says that one does not know, or declines. English."""

import re

UNKNOWN = re.compile(
    r"\b(?:(?:do|does|did)(?: not|n['’]t) (?:know|say|mention|tell|state|cover|contain|include|give)|"
    r"(?:is|are|was) not (?:in|part of|given|mentioned|stated|known|covered|listed)|"
    r"(?:isn|aren)['’]t (?:given|mentioned|known)|"
    r"(?:can|could)(?:not| not|['’]t) (?:find|tell|say|see)|(?:have|has) no (?:information|notice|details?|word)|"
    r"no (?:information|mention|details?) (?:on|of|about|is|are)|not sure|unknown|"
    r"nothing (?:is said|here|about|on|says))\b",
    re.I,
)
DECLINES = re.compile(
    r"\b(?:(?:can|could|am able|are able|will|may)(?:not| not|['’]t) (?:help|assist|answer|"
    r"advise|discuss|do that|share|give|tell|"
    r"provide|comment|say|speak)|won['’]t (?:help|answer|discuss|share)|can['’]?t help|"
    r"unable to (?:help|answer|advise|share)|"
    r"(?:is|are|falls?|lies?) (?:outside|beyond|not part of|not something)|"
    r"not (?:the desk['’]s|our|my) (?:business|job|place)|"
    r"(?:only|just) (?:help|answer|deal) with|not allowed to|"
    r"must decline|have to decline|decline to|refuse to)\b",
    re.I,
)


def says_unknown(sentence: str) -> bool:
    return UNKNOWN.search(sentence) is not None


def declines(sentence: str) -> bool:
    return DECLINES.search(sentence) is not None
