"""Reading a template: its syntax tree, and what can be said of it without filling it in."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache
from typing import Any

from jinja2 import Environment, TemplateSyntaxError, meta, nodes, pass_context
from jinja2.exceptions import TemplateAssertionError

from epistem.core.templates.comparing import TESTS
from epistem.core.templates.filters import FILTERS
from epistem.core.templates.undefined import StrictInput

CALLS = ("examples", "reply_shape")
"""What a part may call: the examples as text, and the reply's shape in plain words."""

KEYWORDS = frozenset(
    """and or not in is if else elif endif for endfor recursive set endset block endblock extends
    include import from macro endmacro call endcall filter endfilter raw endraw with endwith
    without context ignore missing true false none True False None loop self super caller
    autoescape endautoescape do break continue trans endtrans pluralize""".split()  # noqa: SIM905
)
"""Words that the template language keeps for itself."""

MOST_TOKENS = 20_000
"""Marks and words inside marks of one text."""
DEEPEST_BRACKETS = 24
DEEPEST = 90
"""Levels of the syntax tree, which a long sum or chain of filters makes as well as nesting does."""


@pass_context
def _never_called(*_: Any, **__: Any) -> None:
    """Stands for filters and tests where names are looked for; Jinja2 folds no call of it."""
    raise AssertionError("a template is filled in by Filling, not by Jinja2")


_environment = Environment(undefined=StrictInput, keep_trailing_newline=False, autoescape=False)
_environment.globals = {"range": _never_called, "dict": _never_called}
_environment.filters = dict.fromkeys(FILTERS, _never_called)
_environment.tests = dict.fromkeys(TESTS, _never_called)


@lru_cache(maxsize=4096)
def parsed(text: str) -> nodes.Template:
    """The syntax tree, read once per distinct text. Raises jinja2.TemplateSyntaxError."""
    _check_tokens(text)
    try:
        tree = _environment.parse(text)
    except TemplateSyntaxError:
        raise
    except RecursionError:
        raise TemplateSyntaxError("it is nested too deeply", 1) from None
    except Exception as error:  # a number of too many digits, an escape that is none
        raise TemplateSyntaxError(str(error) or type(error).__name__, 1) from error
    _check_tree(tree)
    return tree


@lru_cache(maxsize=4096)
def syntax_error(text: str) -> TemplateSyntaxError | None:
    """Why the text does not parse, or None."""
    try:
        parsed(text)
    except TemplateSyntaxError as error:
        return error
    return None


@lru_cache(maxsize=4096)
def token_count(text: str) -> int:
    """How many marks, and words inside marks, stand in it: up to its first mistake, or MOST_TOKENS."""
    number = 0
    if "{" in text:
        try:
            for number, _ in enumerate(_lexed(text), start=1):  # noqa: B007 (what is counted so far)
                pass
        except TemplateSyntaxError:
            pass
    return number


def tokens_of(text: str) -> list[tuple[int, str, str]]:
    """(line, kind, value) of every token; the values joined are the text, with plain line ends.

    Raises jinja2.TemplateSyntaxError.
    """
    text = text.replace("\r\n", "\n").replace("\r", "\n")
    found, at = [], 0
    for line, kind, value in _lexed(text):
        begins = text.index(value, at)
        if begins > at:  # white space that a tag with `-` takes away, which the lexer leaves out
            found.append((line, "whitespace", text[at:begins]))
        found.append((line, kind, value))
        at = begins + len(value)
    return [*found, (0, "whitespace", text[at:])]


@lru_cache(maxsize=4096)
def calls_in(text: str) -> frozenset[str]:
    """Which of CALLS the template calls."""
    if syntax_error(text) is not None:
        return frozenset()
    called = parsed(text).find_all(nodes.Call)
    names = {call.node.name for call in called if isinstance(call.node, nodes.Name)}
    return frozenset(names & set(CALLS))


@lru_cache(maxsize=4096)
def includes_in(text: str) -> tuple[str, ...]:
    """Names of what the template includes, in order; "" for one that is worked out while filling in,
    or brought in by another tag than `include`."""
    if syntax_error(text) is not None:
        return ()
    kinds = (nodes.Include, nodes.Import, nodes.FromImport, nodes.Extends)
    found = []
    for node in parsed(text).find_all(kinds):
        fixed = isinstance(node, nodes.Include) and isinstance(node.template, nodes.Const)
        name = node.template.value if fixed else ""  # type: ignore[attr-defined]
        found.append(name if isinstance(name, str) else "")
    return tuple(found)


@lru_cache(maxsize=4096)
def inputs_in(text: str) -> tuple[str, ...]:
    """Names that the template asks for, in the order in which they first stand there.

    Loop variables and names set inside the template are not inputs. A text that does not
    parse has none.
    """
    if syntax_error(text) is not None:
        return ()
    names = meta.find_undeclared_variables(parsed(text)) - set(_environment.globals)
    names -= calls_in(text)
    places: dict[str, int] = {}
    for at, (_, kind, value) in enumerate(_lexed(text)):
        if kind == "name":
            places.setdefault(value, at)
    return tuple(sorted(names, key=lambda name: (places.get(name, 0), name)))


def _lexed(text: str) -> Iterator[tuple[int, str, str]]:
    for number, token in enumerate(_environment.lex(text)):
        if number > MOST_TOKENS:
            raise TemplateSyntaxError(
                f"it has more than {MOST_TOKENS:,} marks and words inside marks; put what repeats "
                "into an input and go through it with a loop",
                token[0],
            )
        yield token


def _check_tokens(text: str) -> None:
    """Raises jinja2.TemplateSyntaxError for what the parser would go too deep for."""
    depth = 0
    for line, kind, value in _lexed(text):
        if kind == "operator":
            depth += (value in "([{") - (value in ")]}")
            if depth > DEEPEST_BRACKETS:
                raise TemplateSyntaxError(
                    f"more than {DEEPEST_BRACKETS} brackets stand inside each other", line
                )


def _check_tree(tree: nodes.Template) -> None:
    """Raises jinja2.TemplateSyntaxError for a tree that is too deep, or asks for what is not offered."""
    waiting: list[tuple[nodes.Node, int]] = [(tree, 0)]
    while waiting:
        node, depth = waiting.pop()
        line = getattr(node, "lineno", None) or 1
        if depth > DEEPEST:
            raise TemplateSyntaxError(
                "it is nested too deeply, or one sum or chain is too long", line
            )
        if isinstance(node, nodes.Filter) and node.name not in FILTERS:
            raise TemplateAssertionError(f"there is no filter “{node.name}” here", line)
        if isinstance(node, nodes.Test) and node.name not in TESTS:
            raise TemplateAssertionError(f"there is no test “{node.name}” here", line)
        waiting.extend((child, depth + 1) for child in node.iter_child_nodes())
