# ruff: noqa: E501 (a table of patterns, a line each)
"""What wordings of a rule ask for which check: each a pattern, and the check with the options it fills in."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any, NamedTuple

Options = dict[str, Any]
Reader = Callable[[re.Match[str], str], Options | None]
"""Options from the match and the whole sentence; None where it asks for nothing after all."""

_TENS = {
    "fifteen": 15,
    "twenty": 20,
    "thirty": 30,
    "forty": 40,
    "fifty": 50,
    "sixty": 60,
    "eighty": 80,
    "hundred": 100,
}
_FIRST = "one two three four five six seven eight nine ten eleven twelve"
NUMBERS = {word: at for at, word in enumerate(_FIRST.split(), start=1)} | _TENS
_N = r"(?P<n>\d{1,6}|" + "|".join(NUMBERS) + ")"
_UNIT = r"(?P<unit>words?|sentences?|characters?|lines?|paragraphs?|items?|bullets?(?: points?)?)"
_NO = r"(?:(?<![^\W_])(?:never|no|not|without|avoid|leave out|free of|nor)|(?<=[^\W_])n['’]t)"
_QUOTED = re.compile(r"[\"“”«„]([^\"“”«»„]{1,200})[\"“”»]")
_MOST = (
    r"(?:at most|no more than|not more than|up to|a maximum of|maximum|max\.?|under|fewer than|less than|"
    r"within|limit(?:ed)? to)"
)
_LEAST = r"(?:at least|no fewer than|no less than|a minimum of|minimum)"


class Wording(NamedTuple):
    check: str
    pattern: re.Pattern[str]
    read: Reader


def number_of(text: str) -> int:
    return NUMBERS.get(text.lower()) or int(text)


def quoted_in(sentence: str) -> list[str]:
    return [found.strip() for found in _QUOTED.findall(sentence) if found.strip()]


def _unit(match: re.Match[str]) -> str:
    unit = match["unit"].lower().removesuffix("s").split()[0].removesuffix("s")
    return "item" if unit.startswith("bullet") else unit


def _most(match: re.Match[str], sentence: str) -> Options:
    strictly = re.match(r"under|fewer|less", match[0], re.I) is not None
    return {"of": _unit(match), "most": number_of(match["n"]) - strictly}


def _least(match: re.Match[str], sentence: str) -> Options:
    return {"of": _unit(match), "least": number_of(match["n"]), "most": None}


def _just(match: re.Match[str], sentence: str) -> Options:
    number = number_of(match["n"])
    return {"of": _unit(match), "least": number, "most": number}


def _range(match: re.Match[str], sentence: str) -> Options:
    return {"of": _unit(match), "least": number_of(match["low"]), "most": number_of(match["n"])}


def _phrases(match: re.Match[str], sentence: str) -> Options | None:
    found = quoted_in(sentence[match.start() :])
    return {"phrases": found} if found else None


def _named(match: re.Match[str], sentence: str) -> Options | None:
    if quoted_in(sentence[match.start() :]):
        return None
    words = [w.strip() for w in re.split(r",|\bor\b|\band\b|\bnor\b", match["what"]) if w.strip()]
    words = [
        re.sub(r"^(?:the|a|an|any|our|your|other|about|of|word|words)\s+", "", w) for w in words
    ]
    fit = [w for w in words if 0 < len(w.split()) <= 3 and len(w) > 2]
    return {"phrases": fit} if fit else None


def _begins(match: re.Match[str], sentence: str) -> Options | None:
    found = quoted_in(sentence[match.start() :])
    return {"pattern": r"\A\s*" + re.escape(found[0])} if found else None


def _ends(match: re.Match[str], sentence: str) -> Options | None:
    found = quoted_in(sentence[match.start() :])
    return {"pattern": re.escape(found[0]) + r"\s*\z"} if found else None


def _questions(match: re.Match[str], sentence: str) -> Options:
    told = match.groupdict().get("n")
    return {"most": number_of(told) if told else 1}


def _language(match: re.Match[str], sentence: str) -> Options:
    return {"language": match["language"].capitalize()}


def _advice(match: re.Match[str], sentence: str) -> Options:
    told = (match.groupdict().get("what") or "medical").lower()
    kinds = [kind for kind in ("medical", "legal", "financial") if kind in told]
    financial = "investment" in told or "tax" in told
    return {"kinds": kinds + ["financial"] * (financial and "financial" not in kinds)}


def _always(**options: Any) -> Reader:
    return lambda match, sentence: dict(options)


def _wording(check: str, pattern: str, read: Reader | None = None) -> Wording:
    return Wording(check, re.compile(pattern, re.I), read or _always())


_LANGUAGES = (
    "english|german|french|spanish|italian|dutch|portuguese|danish|swedish|norwegian|polish|finnish"
)
WORDINGS = (
    _wording("structure.length", rf"\bbetween (?P<low>\d+|{'|'.join(NUMBERS)}) and {_N} {_UNIT}", _range),
    _wording("structure.length", rf"\b(?P<low>\d+) ?(?:to|-|–) ?{_N} {_UNIT}", _range),
    _wording("structure.length", rf"\b{_MOST} {_N} (?:short |plain )?{_UNIT}", _most),
    _wording("structure.length", rf"\b{_N} {_UNIT} (?:or (?:fewer|less|under)|at most|maximum|max)\b", _most),
    _wording("structure.length", rf"\b{_LEAST} {_N} (?:short |plain )?{_UNIT}", _least),
    _wording("structure.length", rf"\b(?:exactly|just|in|with) {_N} (?:short |plain |friendly )?{_UNIT}\b", _just),
    _wording("tone.questions", rf"\b(?:one|a single) question at a time|\bonly one question|\b{_MOST} {_N} "
                               rf"questions?", _questions),
    _wording("tone.questions", rf"{_NO} (?:ask )?(?:any )?questions?\b", _always(most=0)),
    _wording("tone.emoji", rf"{_NO} (?:use |add |write |any |an |with )*emojis?\b|\bno smileys?\b"),
    _wording("tone.exclamation", rf"{_NO} (?:use |any |an )*exclamation (?:marks?|points?)"),
    _wording("tone.stock_phrases", rf"{_NO} (?:use |any )*(?:stock|canned|hackneyed|empty|set) phrases|{_NO} "
                                   rf"(?:use |any )*clich[eé]s"),
    _wording("tone.reading_grade", r"\b(?:plain|simple|easy|everyday) (?:language|words|english)\b|\beasy to "
                                   r"(?:read|understand)\b"),
    _wording("tone.sentence_length", r"\bshort sentences\b"),
    _wording("tone.contractions", rf"{_NO} (?:use |any )*contractions\b"),
    _wording("tone.capitals", rf"{_NO} (?:use |write |in |all |any )*(?:capitals|capital letters|upper ?case|shout)"),
    _wording("safety.promises", rf"{_NO} (?:make |give |ever |any |to )*(?:promis\w*|guarantee\w*|commit\w*)"),
    _wording("safety.links", rf"{_NO} (?:give |include |add |share |send |any |a )*(?:links?|urls?|web addresses)\b"),
    _wording("safety.personal_data", rf"{_NO} (?:\w+ ){{0,3}}(?:personal (?:data|details|information)|phone "
                                     rf"numbers?|e-?mail addresses|private data)"),
    _wording("safety.profanity", rf"{_NO} (?:use |any )*(?:swear\w*|profan\w*|insult\w*|rude words)"),
    _wording("safety.refuses", r"\b(?:for|about|to|on) (?:anything|everything|something) else\b|\boff-?topic\b|"
                               r"\bonly (?:answer|deal with|help with|talk about) ", lambda m, s: {"phrases": quoted_in(s)}),
    _wording("structure.plain_text", rf"\bplain text\b|{_NO} (?:use |any )*(?:markdown|formatting|bullet "
                                     rf"points|headings)\b"),
    _wording("structure.no_reasoning", rf"{_NO} (?:show |explain |give )*(?:your )?(?:reasoning|thinking|working)\b"),
    _wording("structure.reply_schema", r"\bjson\b"),
    _wording("structure.language", rf"\b(?:in|speak|write|answer|reply) (?P<language>{_LANGUAGES})\b", _language),
    _wording("structure.sql", r"\b(?:read-?only|only (?:a )?select|one select)\b"),
    _wording("grounding.supported", r"\bonly (?:from|on|with|use|by|what)\b[^.\n]{0,30}\b(?:notices?|passages?|"
                                    r"documents?|sources?|context|text|material|facts?|information|record|"
                                    r"timetable|given)\b"
             rf"|{_NO} (?:ever )?(?:make (?:things?|anything|facts?|it|them) up|invent\w*|guess\w*|make up)"),
    _wording("grounding.not_known", r"\bif [^.\n]{0,60}\b(?:not|n['’]t|nothing)\b[^.\n]{0,30}(?:say|know|tell|"
                                    r"mention|contain|cover|answer|find|there)\b", lambda m, s: {"phrases": quoted_in(s)}),
    _wording("grounding.copied", rf"{_NO} (?:copy|quote|repeat) (?:\w+ ){{0,4}}(?:word for word|verbatim|whole "
                                 rf"sentences)|\bin your own words\b"),
    _wording("structure.matches", r"\b(?:begin|start|open)s? (?:\w+ ){0,3}with\b", _begins),
    _wording("structure.matches", r"\b(?:end|close|finish)(?:es|s)? (?:\w+ ){0,3}with\b", _ends),
    _wording("outcome.must_say", r"\b(?:always|must) (?:say|mention|include|name|write|add)\b", _phrases),
    _wording("safety.forbidden", rf"{_NO} (?:ever )?(?:say|use|write|mention|call)\b[^.,;:\n]{{0,40}}[\"“«]", _phrases),
    _wording("safety.forbidden", rf"{_NO} (?:ever )?(?:mention|discuss|talk about|speak of|name|recommend) "
                                 rf"(?P<what>[\w ,'-]{{3,80}})", _named),
    _wording("tone.formality", r"\b(?:be|stay|remain|keep it) formal\b|\b(?:a )?formal (?:tone|language|style|register)\b",
             _always(least=60, most=None)),
    _wording("tone.formality", r"\b(?:informal|casual|conversational|chatty|relaxed)\b", _always(most=50)),
    _wording("tone.passive", rf"\bactive voice\b|{_NO} (?:use |write in |the )*passive(?: voice)?\b"),
    _wording("tone.concrete", rf"\b(?:be|stay) (?:concrete|specific)\b|\bconcrete (?:words|terms|language)\b|"
                              rf"{_NO} (?:use |any )*(?:jargon|abstract\w*|nominali[sz]ations?)"),
    _wording("tone.polite", r"\b(?:be|stay|remain) (?:\w+ and |very |always )?(?:polite|courteous|kind|friendly|warm)\b|"
                            r"\b(?:polite|courteous)ly\b|\b(?:polite|courteous) (?:tone|words)\b"),
    _wording("tone.cold", rf"{_NO} (?:be |sound |ever |too )*(?:rude|curt|cold|blunt|condescending|dismissive|reproachful)\b"),
    _wording("tone.sentiment", r"\b(?:positive|upbeat|cheerful|optimistic)\b", _always(least=0.2)),
    _wording("tone.mirrors", r"\b(?:match|mirror|adapt to|take up|reflect) (?:the )?[^.\n]{0,40}\b(?:tone|style|register|"
                             r"manner|way of writing)\b"),
    _wording("safety.advice", rf"{_NO} (?:\w+ ){{0,3}}?(?P<what>(?:medical|legal|financial|investment|tax)"
                              rf"(?:(?:,| or| and|, or) (?:medical|legal|financial|investment|tax))*) advice|"
                              rf"{_NO} (?:\w+ ){{0,2}}diagnos\w*", _advice),
    _wording("safety.given", rf"{_NO} (?:\w+ ){{0,2}}(?:repeat |use |write |name |mention )?(?:the |their |his |her |any )*"
                             rf"(?:customers?['’]?s?|persons?['’]?s?|guests?['’]?s?|passengers?['’]?s?|patients?['’]?s?|"
                             rf"clients?['’]?s?) (?:full )?(?:names?|address(?:es)?|numbers?)\b"),
    _wording("grounding.citations", r"\b(?:cite|citations?|footnotes?)\b|\b(?:number|source) of the (?:passage|notice|"
                                    r"document)\b"),
    _wording("structure.markdown", r"\b(?:in|valid|well-formed|proper|as) markdown\b"),
    _wording("structure.markup", r"\b(?:in|valid|well-formed|proper|as) (?P<what>html|xml)\b",
             lambda m, s: {"kind": m["what"].upper()}),
    _wording("structure.formats", r"\b24[- ]hour\b", _always(times="18:45", dates="any")),
    _wording("structure.formats", r"\biso(?: 8601)? dates?\b|\byyyy-mm-dd\b", _always(dates="2026-11-26", times="any")),
    _wording("tone.greeting", rf"{_NO} (?:\w+ )?(?:greet\w*|sign-?off|salutation)"),
)  # fmt: skip
RULE = re.compile(
    r"\b(?:never|must|mustn['’]t|always|do not|don['’]t|only|at most|at least|no more than|exactly|avoid|without|"
    r"ensure|make sure|under no|forbidden|not allowed|required?|use no|no \w+|one \w+ at a time|in \w+ words|"
    r"begin with|start with|end with|keep (?:it|to|your|the)|answer in|write in|reply in)\b",
    re.I,
)
"""What makes a sentence a rule: somebody will mind if it is broken."""
