"""The template language: Jinja2 in a sandbox, with undefined inputs refused by name."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from functools import lru_cache, partial
from typing import Any

from jinja2 import Template, TemplateNotFound, TemplateSyntaxError, Undefined, meta, nodes
from jinja2.exceptions import SecurityError, UndefinedError
from jinja2.sandbox import ImmutableSandboxedEnvironment
from jinja2.utils import missing

MAX_REPEATED = 100_000
"""The longest text or list that `*` may make in a template."""

PADDING = frozenset(["center", "ljust", "rjust", "zfill", "expandtabs"])
"""Methods of text that make a text of any length from a short one."""

CALLS = ("examples", "reply_shape")
"""What a part may call: the examples as text, and the reply's shape in plain words."""

KEYWORDS = frozenset(
    """and or not in is if else elif endif for endfor recursive set endset block endblock extends
    include import from macro endmacro call endcall filter endfilter raw endraw with endwith
    without context ignore missing true false none True False None loop self super caller
    autoescape endautoescape do break continue trans endtrans pluralize""".split()  # noqa: SIM905
)
"""Words that the template language keeps for itself."""

_fragments: ContextVar[Mapping[str, str]] = ContextVar("fragments")


class UndefinedInput(UndefinedError):
    """Raised while rendering, with the name that was not given."""

    def __init__(self, name: str | None, message: str | None = None) -> None:
        super().__init__(message)
        self.name = name


class StrictInput(Undefined):
    """Jinja2's StrictUndefined, which also tells the name."""

    __slots__ = ()

    def __init__(
        self, hint: str | None = None, obj: Any = missing, name: str | None = None, exc: Any = None
    ) -> None:
        super().__init__(hint, obj, name, exc=partial(UndefinedInput, name))  # type: ignore[arg-type]

    _fail: Callable[..., Any] = Undefined._fail_with_undefined_error
    __iter__ = __str__ = __len__ = _fail
    __eq__ = __ne__ = __bool__ = __hash__ = _fail
    __contains__ = _fail


class Sandbox(ImmutableSandboxedEnvironment):
    """The sandbox that lets no input be changed, with the operators that could fill the memory held
    to a limit."""

    intercepted_binops = frozenset(["*", "**", "%"])

    def call_binop(self, context: Any, operator: str, left: Any, right: Any) -> Any:
        if operator == "*":
            for thing, times in ((left, right), (right, left)):
                repeats = isinstance(thing, str | list | tuple) and isinstance(times, int)
                if repeats and len(thing) * times > MAX_REPEATED:
                    raise SecurityError(f"`*` may make at most {MAX_REPEATED:,} items")
        elif operator == "**":
            if not (abs(left) <= 1_000_000 and abs(right) <= 100):
                raise SecurityError("`**` is limited to small numbers")
        elif isinstance(left, str):
            raise SecurityError("formatting with `%` is switched off; write {{ … }} instead")
        return super().call_binop(context, operator, left, right)

    def _load_template(self, name: str, globals: Any) -> Template:
        """A fragment of the prompt that is being filled in; nothing else can be included."""
        text = _fragments.get({}).get(name)
        if text is None:
            raise TemplateNotFound(name, f"there is no fragment “{name}”")
        return compiled(text)

    def is_safe_attribute(self, obj: Any, attr: str, value: Any) -> bool:
        if isinstance(obj, str) and attr in PADDING:
            return False
        return super().is_safe_attribute(obj, attr, value)

    def wrap_str_format(self, value: Any) -> Any:
        if getattr(value, "__name__", "") in ("format", "format_map"):
            raise SecurityError("formatting with .format() is switched off; write {{ … }} instead")
        return None


_environment = Sandbox(undefined=StrictInput, keep_trailing_newline=False, autoescape=False)
for _name in ("center", "indent", "format", "wordwrap"):
    _environment.filters.pop(_name)  # as PADDING
for _name in ("lipsum", "cycler", "joiner", "namespace"):
    _environment.globals.pop(_name, None)


@lru_cache(maxsize=4096)
def compiled(text: str) -> Template:
    """The template, compiled once per distinct text. Raises jinja2.TemplateSyntaxError."""
    return _environment.from_string(text)


@lru_cache(maxsize=4096)
def syntax_error(text: str) -> TemplateSyntaxError | None:
    """Why the text does not parse, or None."""
    try:
        _environment.parse(text)
        compiled(text)
    except TemplateSyntaxError as error:
        return error
    return None


@contextmanager
def including(fragments: Mapping[str, str]) -> Iterator[None]:
    """While this lasts, templates of this thread may include these fragments."""
    token = _fragments.set(fragments)
    try:
        yield
    finally:
        _fragments.reset(token)


def tokens_of(text: str) -> list[tuple[int, str, str]]:
    """(line, kind, value) of every token; the values joined are the text, with plain line ends.

    Raises jinja2.TemplateSyntaxError.
    """
    text = text.replace("\r\n", "\n").replace("\r", "\n")
    found, at = [], 0
    for line, kind, value in _environment.lex(text):
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
    called = _environment.parse(text).find_all(nodes.Call)
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
    for node in _environment.parse(text).find_all(kinds):
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
    names = meta.find_undeclared_variables(_environment.parse(text)) - set(_environment.globals)
    names -= calls_in(text)
    tokens = [value for _, kind, value in _environment.lex(text) if kind == "name"]
    return tuple(sorted(names, key=lambda name: (tokens.index(name), name)))
