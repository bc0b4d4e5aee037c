"""How a talk is led: what is asked for, in which order, how many questions at once."""

import re
from collections.abc import Iterator

from epistem.standin.directives import Found, asks, register
from epistem.standin.request import bullets_after, named_list


def _fields(text: str) -> Iterator[Found]:
    """The first list of things to ask for: in the sentence, or in the bullets under it."""
    for match, start, end in asks("collect", lambda match: match)(text):
        inline = re.split(
            r"\bbefore\b|\bin (?:this|that) order\b|\bone at\b|\bfrom the\b", match[1]
        )[0]
        names = [
            n
            for n in named_list(inline.rpartition(":")[2])
            if not re.search("question|following", n)
        ]
        if match[1].strip() in ("", ":") or match[1].endswith(":"):
            names = [name for name, _ in bullets_after(text[end:].splitlines())]
        if len(names) >= 2:
            yield tuple(names), start, end
            return


register("collect", _fields)
register(
    "one_question", asks("one_question"), kept=lambda text, value: text.count("?") <= 1, ease=0.5
)
register("in_order", asks("in_order"))
register("first", asks("first"))
register("ask_why", asks("ask_why"), against=("let_go",))
register("let_go", asks("let_go"), against=("ask_why",))
register("no_repeat", asks("no_repeat"), ease=0.5)
register("follow_up", asks("follow_up"), ease=0.5)
register("goodbye", asks("goodbye"), ease=0.5)
