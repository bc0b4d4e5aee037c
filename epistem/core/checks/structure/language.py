"""The language of the answer."""

from __future__ import annotations

import threading
from functools import cache
from typing import Any, ClassVar

from pydantic import Field

from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options
from epistem.core.errors import InvalidInput
from epistem.core.language.reading import words
from epistem.core.prompts.content import ReplyShape

FEWEST_WORDS = 5
SUREST = 0.8
LOOKED_AT = 500
NAMES = {
    "ar": "Arabic", "bg": "Bulgarian", "ca": "Catalan", "cs": "Czech", "cy": "Welsh", "da": "Danish", "de": "German",
    "el": "Greek", "en": "English", "es": "Spanish", "et": "Estonian", "fi": "Finnish", "fr": "French", "ga": "Irish",
    "he": "Hebrew", "hi": "Hindi", "hr": "Croatian", "hu": "Hungarian", "id": "Indonesian", "is": "Icelandic",
    "it": "Italian", "ja": "Japanese", "ko": "Korean", "lt": "Lithuanian", "lv": "Latvian", "nl": "Dutch",
    "no": "Norwegian", "pl": "Polish", "pt": "Portuguese", "ro": "Romanian", "ru": "Russian", "sk": "Slovak",
    "sl": "Slovenian", "sr": "Serbian", "sv": "Swedish", "tr": "Turkish", "uk": "Ukrainian", "vi": "Vietnamese",
    "zh": "Chinese",
}  # fmt: skip
_CODES = {name.lower(): code for code, name in NAMES.items()}
_lock = threading.Lock()


class LanguageOptions(Options):
    language: str = Field(
        "English",
        max_length=30,
        title="Language",
        description="Its English name, or its code, such as de.",
    )


class LanguageIs(Check):
    key = "structure.language"
    version = 2
    kind = "structure"
    summary = "The answer is in this language. A text of a few words, or one that could be several, is passed over."
    also_called = ("english", "german", "french", "translation", "locale")
    aspects = (Aspect("", "is in the language"),)
    Options: ClassVar[type[Options]] = LanguageOptions
    libraries = ("py3langid",)
    good: ClassVar = (
        "The boat from Hollin is late because of the fog.",
        "You can bring a small dog if it is on a lead.",
        Example("Das Schiff aus Hollin kommt wegen des Nebels später.", {"language": "German"}),
        Example("Le bateau est en retard à cause du brouillard ce matin.", {"language": "fr"}),
        Example("El barco llega tarde por la niebla de esta mañana.", {"language": "Spanish"}),
        Example("船は霧のため遅れています。ご迷惑をおかけします。", {"language": "Japanese"}),
        Example("Паром опаздывает из-за тумана сегодня утром.", {"language": "Russian"}),
        Example("De boot is te laat omdat er vanochtend mist hangt.", {"language": "Dutch"}),
    )
    bad: ClassVar = (
        "Das Schiff aus Hollin kommt wegen des Nebels heute leider später.",
        "Le bateau est en retard à cause du brouillard ce matin.",
        "El barco llega tarde por la niebla de esta mañana.",
        "船は霧のため遅れています。ご迷惑をおかけします。",
        "Паром опаздывает из-за тумана сегодня утром.",
        Example("The boat from Hollin is late because of the fog.", {"language": "German"}),
        Example("You can bring a small dog if it is on a lead.", {"language": "French"}),
        Example("Het schip is te laat omdat er vanochtend mist hangt.", {"language": "English"}),
    )

    def __init__(self, options: LanguageOptions, reply: ReplyShape) -> None:
        super().__init__(options, reply)
        told = options.language.strip().lower()
        code = told if told in NAMES else _CODES.get(told)
        if code is None:
            known = ", ".join(sorted(_CODES))
            message = f"“{options.language[:40]}” is not told apart. There are: {known}."
            raise InvalidInput(message, field="options.language")
        self._code = code

    @classmethod
    def sentence(cls, options: LanguageOptions, aspect: Aspect) -> str:
        return f"in {NAMES.get(options.language.strip().lower(), options.language.strip().capitalize())}"

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        text = answer.text[:LOOKED_AT]
        if len(words(text)) < FEWEST_WORDS:
            return []
        found, sure = _language_of(text)
        if found == self._code:
            return [Finding("", True, f"It is in {NAMES[found]}.")]
        if sure < SUREST:
            return []
        return [
            Finding(
                "", False, f"It is in {NAMES.get(found, found)}; {NAMES[self._code]} is wanted."
            )
        ]


@cache
def _identifier() -> Any:
    from py3langid.langid import MODEL_FILE, LanguageIdentifier

    made = LanguageIdentifier.from_model_file(MODEL_FILE, norm_probs=True)
    made.set_languages(list(NAMES))
    return made


def _language_of(text: str) -> tuple[str, float]:
    with _lock:  # one model, which keeps what it counts
        code, sure = _identifier().classify(text)
    return str(code), float(sure)
