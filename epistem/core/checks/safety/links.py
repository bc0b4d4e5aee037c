"""Links lead to allowed hosts only, however they are written."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import ClassVar
from urllib.parse import parse_qsl, unquote, urlsplit

from pydantic import Field

from epistem.core.checks.base import Aspect, Example, Ground, Options, Span
from epistem.core.checks.shapes import FreeOf, Places

_LINK = re.compile(
    r"\b[a-z][a-z0-9+.-]{1,15}:(?://|\\\\)[^\s<>\"'`]{1,2000}|(?<![\w:/.@-])//[\w-]+(?:\.[\w-]+)+[^\s<>\"'`]*",
    re.I,
)
_BARE = re.compile(
    r"(?<![\w@/.:%+-])(?:www\.)?(?:[^\W_](?:[\w-]{0,61}[^\W_])?\.){1,6}"
    r"(?:com|org|net|io|dev|app|co|info|biz|example|test|edu|gov|uk|de|fr|es|it|nl|eu|us|ca|au|ch|at|be|se|no|"
    r"dk|fi|pl|pt|ie|in|jp|cn|ru|br|me|ly|ai|xyz|top|site|online|shop|club|link|click)"
    r"(?![\w.-]*[\w-]@)(?:[:/?#][^\s<>\"'`]{0,2000})?(?![\w])",
    re.I,
)
_SCRIPT = re.compile(r"\b(?:javascript|data|vbscript|file):[^\s<>\"'`]{1,2000}", re.I)
_REDIRECT = re.compile(
    r"^(?:url|u|to|next|target|redirect\w*|return\w*|dest\w*|continue|goto|link|out|r|q)$", re.I
)
_TRAILING = ".,;:!?)]}»”’*_"


class LinkOptions(Options):
    hosts: list[str] = Field(
        default_factory=list,
        max_length=500,
        title="Allowed hosts",
        description="pier.example allows its www, too; *.pier.example all below it. Empty: no links at all.",
    )


class AllowedLinks(FreeOf):
    key = "safety.links"
    version = 1
    kind = "safety"
    summary = (
        "Links lead to allowed hosts only: also bare ones, look-alikes, user@host and redirects."
    )
    also_called = ("url", "website", "domain", "phishing", "host")
    aspects = (Aspect("", "links to allowed hosts only"),)
    nothing = "No link leads elsewhere."
    Options: ClassVar[type[Options]] = LinkOptions
    shown_with: ClassVar = {"hosts": ["pier.example", "*.ferry.example"]}
    good: ClassVar = (
        "See https://pier.example/notices.",
        "See https://www.pier.example/notices?day=2.",
        "Book at tickets.ferry.example, please.",
        "HTTPS://PIER.EXAMPLE",
        "Write to desk@elsewhere.com.",
        "The file notes.txt is v1.2.3, e.g. at 9.40.",
        "It is done.Then we go.",
        "(https://pier.example/a_(b))",
        "https://pier.example:443/x",
        "No link here.",
        "",
    )
    bad: ClassVar = (
        "See https://evil.example.",
        "See https://pier.example.evil.com/notices.",
        "See https://pier.example@evil.com/.",
        "Go to evil.com today.",
        "www.evil.org",
        "https://pier.example/go?url=https://evil.com",
        "https://pier.example/go?next=%2F%2Fevil.com",
        "https://xn--per-mla.example/",
        "https://рier.example/",
        "[here](javascript:alert(1))",
        "ftp://evil.example/x",
        "https:\\\\evil.com\\x",
        "https://ferry.example/",
        "//evil.com/x",
        Example("See https://pier.example.", {"hosts": []}),
    )

    def found(self, text: str, ground: Ground) -> Iterable[Span]:
        allowed = [each.strip().lower().rstrip(".") for each in self.options.hosts]
        spans, taken = [], Places()
        for pattern in (_LINK, _SCRIPT, _BARE):
            for match in pattern.finditer(text):
                told = match[0].rstrip(_TRAILING)
                start, end = match.start(), match.start() + len(told)
                if not told or taken.meets(start, end):
                    continue
                taken.add(start, end)
                wrong = "a script, not a link" if pattern is _SCRIPT else _wrong(told, allowed)
                if wrong:
                    spans.append(Span(start, end, wrong))
        return sorted(spans, key=lambda span: span.start)


def _wrong(told: str, allowed: list[str], depth: int = 0) -> str:
    """Why a link is not let through; "" where it is."""
    address = told.replace("\\", "/")
    if "://" not in address:
        address = f"https:{address}" if address.startswith("//") else f"https://{address}"
    try:
        parts = urlsplit(address)
        host = (parts.hostname or "").rstrip(".").lower()
    except ValueError:
        return "no address that can be read"
    if parts.scheme not in ("http", "https"):
        return f"{parts.scheme}: is no web address"
    if parts.username is not None:
        return f"leads to {host[:80]}, with another name before it"
    if not _is_allowed(host, allowed):
        return f"leads to {host[:80]}"
    for name, value in parse_qsl(parts.query)[:50]:
        inner = unquote(value)
        if (
            depth < 3
            and _REDIRECT.match(name)
            and re.match(r"(?:[a-z][\w+.-]*:)?//|www\.", inner, re.I)
            and (why := _wrong(inner, allowed, depth + 1))
        ):
            return f"passes on: {why}"
    return ""


def _is_allowed(host: str, allowed: list[str]) -> bool:
    for each in allowed:
        if each.startswith("*."):
            if host.endswith(each[1:]):
                return True
        elif host in (each, f"www.{each}"):
            return True
    return False
