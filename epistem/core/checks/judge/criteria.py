"""The criteria that come with Epistem: what each asks, what each score means, and answers with known scores."""

from __future__ import annotations

from typing import NamedTuple

from epistem.core.checks.signature import digest


class Known(NamedTuple):
    """An answer whose score is known: what a judge is put to the test with."""

    score: int
    answer: str
    question: str = ""
    source: str = ""
    reference: str = ""
    system: str = ""


class Criterion(NamedTuple):
    """`anchors` say what 1 to 5 mean; None asks yes (1) or no (0). `shown` is what the judge needs to see."""

    key: str
    name: str
    question: str
    anchors: tuple[str, ...] | None
    shown: tuple[str, ...] = ("question",)
    known: tuple[Known, ...] = ()

    @property
    def top(self) -> int:
        return 5 if self.anchors else 1

    @property
    def bottom(self) -> int:
        return 1 if self.anchors else 0

    @property
    def digest(self) -> str:
        """Of all that the judge is told and tested with."""
        return digest([self.name, self.question, self.anchors, self.shown, self.known])


_ASK = "When does the last boat leave Sandray, and may I bring my dog?"
_NOTICE = (
    "Boats leave Sandray at 8:10, 12:30 and 18:45. Dogs travel free on a lead and stay "
    "on the outer deck. Bicycles cost 4 euros."
)
_FULL = (
    "The last boat leaves Sandray at 18:45. Your dog travels free; keep it on a lead "
    "on the outer deck."
)
_HALF = "The last boat leaves Sandray at 18:45."
_OFF = (
    "Our crew has painted the benches a cheerful blue, and gulls nest near the old "
    "lighthouse every spring."
)
_MADE_UP = (
    "Helicopters depart hourly from Castle Square; hamsters need passports, "
    "vaccination certificates and a permit signed by the mayor."
)


def _shipped(
    key: str,
    name: str,
    question: str,
    anchors: tuple[str, ...],
    shown: tuple[str, ...],
    *known: Known,
) -> Criterion:
    return Criterion(key, name, question, anchors, shown, known)


SHIPPED = {
    each.key: each
    for each in (
        _shipped(
            "relevance",
            "Relevance",
            "Does the answer deal with what the person asked?",
            (
                "It is about something else.",
                "It touches the matter, but not the question.",
                "It deals with part of the question, among much else.",
                "It deals with the question, with a little that is beside it.",
                "Every sentence of it serves the question.",
            ),
            ("question",),
            Known(5, _FULL, _ASK),
            Known(5, "The last boat leaves Sandray at 18:45, and you may bring your dog.", _ASK),
            Known(1, _OFF, _ASK),
            Known(1, _MADE_UP, _ASK),
            Known(1, "", _ASK),
        ),
        _shipped(
            "coherence",
            "Coherence",
            "Do the sentences of the answer follow from one another, clear and in order?",
            (
                "It falls apart: sentences contradict each other, or break off.",
                "Hard to follow; the order is by chance.",
                "One can follow it, with effort in places.",
                "Easy to follow, with one rough step.",
                "Clear from the first sentence to the last.",
            ),
            ("question",),
            Known(5, "The boat is late. It leaves at ten. Please wait on the pier.", _ASK),
            Known(5, "Dogs travel free. Keep yours on a lead.", _ASK),
            Known(
                2,
                (
                    "Notwithstanding, the boat which, regarding the aforementioned commencement of "
                    "departure that is subsequently to be utilised by persons who, at Sandray, in the "
                    "evening, the dog, which travels, prior to boarding, approximately, is, in "
                    "accordance with the lead, on the deck that is outer, and 18:45 it commences."
                ),
                _ASK,
            ),
            Known(1, "", _ASK),
        ),
        _shipped(
            "fluency",
            "Fluency",
            "Is the language of the answer correct and natural, easy to read?",
            (
                "Full of faults; hardly readable.",
                "Several faults, or stiff throughout.",
                "Understandable, with faults.",
                "Correct, with a stiff phrase.",
                "Correct, plain and natural.",
            ),
            ("question",),
            Known(5, "The last boat leaves at 18:45. Your dog is welcome.", _ASK),
            Known(5, "Yes, dogs may come along.", _ASK),
            Known(
                2,
                (
                    "Passengers whom commence to utilise the vessel subsequently to be accompanied "
                    "with dog regarding the lead prior to which, in accordance, approximately the hour "
                    "of eighteen and forty and five is being departing it shall."
                ),
                _ASK,
            ),
            Known(1, "", _ASK),
        ),
        _shipped(
            "groundedness",
            "Groundedness",
            "Is every statement of the answer supported by the source?",
            (
                "Most of it is made up.",
                "An important statement is not in the source.",
                "The core is in the source, details are not.",
                "All but a trifle is in the source.",
                "Every statement is in the source.",
            ),
            ("question", "source"),
            Known(5, _FULL, _ASK, _NOTICE),
            Known(5, "Boats leave Sandray at 8:10, 12:30 and 18:45.", _ASK, _NOTICE),
            Known(1, _MADE_UP, _ASK, _NOTICE),
            Known(1, _OFF, _ASK, _NOTICE),
            Known(1, "", _ASK, _NOTICE),
        ),
        _shipped(
            "completeness",
            "Completeness",
            "Does the answer deal with everything that was asked?",
            (
                "Nothing of it is answered.",
                "A small part is answered.",
                "About half is answered.",
                "All but a detail is answered.",
                "All that was asked is answered.",
            ),
            ("question", "source"),
            Known(5, _FULL, _ASK, _NOTICE),
            Known(3, _HALF, _ASK, _NOTICE),
            Known(1, _OFF, _ASK, _NOTICE),
            Known(1, "", _ASK, _NOTICE),
        ),
        _shipped(
            "instructions",
            "Follows the instructions",
            (
                "Does the answer do what the instructions to the writer say, and nothing that they "
                "forbid?"
            ),
            (
                "It ignores them.",
                "It breaks an important one.",
                "It follows the main ones.",
                "It breaks a small one.",
                "It follows every one.",
            ),
            ("task", "question"),
            Known(
                5,
                _FULL,
                _ASK,
                system="Answer in two short sentences, friendly and plain, from the timetable.",
            ),
            Known(1, "", _ASK, system="Answer in two short sentences, friendly and plain."),
            Known(
                1,
                _MADE_UP,
                _ASK,
                system="Answer from the timetable of the boats. Speak of nothing else.",
            ),
            Known(
                4,
                "The last boat leaves Sandray at 18:45, and your dog may come along.",
                _ASK,
                system="Answer the question in one sentence.",
            ),
        ),
        _shipped(
            "use_of_source",
            "Use of what was shown",
            (
                "Does the answer use what the source has to say on the question, and not general "
                "phrases instead?"
            ),
            (
                "Nothing of the source is used.",
                "A word of it is used.",
                "Some of what matters is used.",
                "Most of what matters is used.",
                "All that matters is used, and well.",
            ),
            ("question", "source"),
            Known(5, _FULL, _ASK, _NOTICE),
            Known(1, _MADE_UP, _ASK, _NOTICE),
            Known(1, _OFF, _ASK, _NOTICE),
            Known(
                2,
                "Please look at the timetable at your pier, and ask our staff about animals.",
                _ASK,
                _NOTICE,
            ),
        ),
        _shipped(
            "tone",
            "Tone",
            "Is the answer friendly and respectful, as one would speak to a guest?",
            (
                "Rude, or mocking.",
                "Curt, cold or impatient.",
                "Neutral.",
                "Friendly.",
                "Warm and respectful without being gushing.",
            ),
            ("question",),
            Known(
                5,
                (
                    "Thank you for asking! Please keep your dog on a lead; we are glad to have you "
                    "both on board. You are very welcome."
                ),
                _ASK,
            ),
            Known(4, "Of course your dog may come. Please keep it on a lead.", _ASK),
            Known(
                1,
                (
                    "No. That is nonsense, you are wrong, and it is your fault. We refuse stupid "
                    "questions."
                ),
                _ASK,
            ),
            Known(3, "The boat leaves at 18:45. Dogs stay on deck.", _ASK),
        ),
    )
}
