"""Sampling settings as one table: it validates them, documents them and shows them."""

from __future__ import annotations

from dataclasses import dataclass

from pydantic import Field

from epistem.core.shapes import Document


@dataclass(frozen=True)
class Setting:
    name: str
    label: str
    low: float
    high: float
    usual: str
    help: str


SETTINGS = (
    Setting(
        "temperature", "Temperature", 0, 2, "0 to 1",
        "Divides the scores of the possible next tokens before one is drawn. 0 takes the most "
        "likely one nearly always; above 1.3 the text starts to fall apart.",
    ),
    Setting(
        "top_p", "Top p", 0, 1, "0.9 to 1",
        "Draws only from the most likely tokens that together reach this probability. "
        "Change this or the temperature, seldom both.",
    ),
    Setting(
        "frequency_penalty", "Frequency penalty", -2, 2, "0 to 0.5",
        "Lowers a token's score by this much for each time it already stands in the answer so "
        "far. It knows nothing of earlier turns or the prompt.",
    ),
    Setting(
        "presence_penalty", "Presence penalty", -2, 2, "0 to 0.5",
        "Lowers a token's score by this much once, if it stands in the answer so far at all.",
    ),
    Setting(
        "max_tokens", "Longest answer", 1, 32_768, "100 to 1,000",
        "The answer is cut off at this many tokens. The model does not plan for it.",
    ),
)  # fmt: skip


class Settings(Document):
    """What is sent along with the messages. A setting left out is the model server's own default."""

    temperature: float | None = Field(None, ge=0, le=2, allow_inf_nan=False)
    top_p: float | None = Field(None, gt=0, le=1, allow_inf_nan=False)
    frequency_penalty: float | None = Field(None, ge=-2, le=2, allow_inf_nan=False)
    presence_penalty: float | None = Field(None, ge=-2, le=2, allow_inf_nan=False)
    max_tokens: int | None = Field(None, ge=1, le=32_768)
    stop: list[str] | None = Field(None, max_length=4)

    def over(self, base: Settings) -> Settings:
        """These settings, with those of `base` where these say nothing."""
        return Settings(**{**base.to_json(), **self.to_json()})
