"""What is wrong with what a tool does, as far as it shows without reaching anything."""

from __future__ import annotations

import re
from datetime import datetime

from epistem.core.prompts.tool import CodeWork, HttpWork, SqlWork, Tool
from epistem.core.prompts.tools import parameters_of
from epistem.core.shapes import listed
from epistem.core.tools.addresses import address_fault, taken_by
from epistem.core.tools.statements import names_in

_HEADER = re.compile(r"[A-Za-z0-9!#$%&'*+.^_`|~-]{1,100}\Z")
_OWN = frozenset(
    {
        "host",
        "content-length",
        "transfer-encoding",
        "connection",
        "upgrade",
        "expect",
        "te",
        "trailer",
    }
)


def work_fault(tool: Tool) -> str:
    """In a sentence; "" for nothing."""
    if tool.changes and tool.in_trials != "recorded":
        return "It changes something outside, so it is never reached in a trial. Let trials use recorded answers."
    does = tool.does
    if isinstance(does, HttpWork):
        return _http_fault(does, tool)
    if isinstance(does, SqlWork):
        return _sql_fault(does, tool)
    if isinstance(does, CodeWork) and not does.entry:
        return "It is not said which entry point it calls."
    if does is not None and does.kind == "clock" and does.fixed:
        try:
            datetime.fromisoformat(does.fixed)
        except ValueError:
            return f"“{does.fixed}” is no moment. Write one as 2031-05-02 09:30."
    return ""


def _http_fault(does: HttpWork, tool: Tool) -> str:
    if wrong := address_fault(does.address):
        return wrong
    if unknown := [name for name in taken_by(does.address) if name not in _named(tool)]:
        return f"The address takes {listed(unknown, 'and')}, which no parameter is called."
    if does.sends != "nothing" and does.method == "GET":
        return "A GET has no body. Let it send nothing, or take another method."
    for header in does.headers:
        if not _HEADER.match(header.name) or header.name.lower() in _OWN:
            return f"“{header.name[:60]}” can't be set as a header."
        if not header.value.isascii() or not (header.value.isprintable()):
            return f"The header {header.name} has signs that can't be sent. Use plain letters and signs."
        if header.key and header.value:
            return f"The header {header.name} has a value and a key. Take out one of them."
    for pointer in does.shows:
        if pointer and not pointer.startswith("/"):
            return f"“{pointer[:60]}” is no JSON pointer. It begins with a slash, as /sailings/0/leaves."
    return ""


def _sql_fault(does: SqlWork, tool: Tool) -> str:
    if not does.source:
        return "It is not said which source it reads."
    named = _named(tool)
    if not does.statement:
        return (
            "" if "query" in named else "It needs a parameter “query”: the statement of the model."
        )
    if unknown := [name for name in names_in(does.statement) if name not in named]:
        return f"The statement takes {listed(unknown, 'and')}, which no parameter is called."
    return ""


def _named(tool: Tool) -> list[str]:
    properties = parameters_of(tool).get("properties")
    return list(properties) if isinstance(properties, dict) else []
