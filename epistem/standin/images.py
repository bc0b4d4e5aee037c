"""What it sees of a picture: size, the colours that cover most of it, and what a text chunk says."""

from __future__ import annotations

import base64
import binascii
import io
import re
from collections import Counter
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from PIL import Image, UnidentifiedImageError

_DATA = re.compile(r"^data:image/(?:png|jpe?g);base64,(.+)$", re.S)
_TOLD = ("Description", "description", "Comment", "comment")
_COLOURS = {
    "black": (20, 20, 20), "white": (245, 245, 245), "grey": (128, 128, 128), "red": (200, 40, 40),
    "orange": (235, 140, 40), "yellow": (240, 220, 60), "green": (50, 150, 70), "blue": (40, 90, 190),
    "light blue": (140, 190, 235), "purple": (130, 60, 160), "pink": (240, 150, 180), "brown": (120, 80, 45),
}  # fmt: skip
MOST_PIXELS = 40_000_000


class NotAPicture(ValueError):
    """Says why the bytes are not a picture that can be read."""


@dataclass(frozen=True)
class Picture:
    """`colours` by share of the picture, largest first."""

    width: int
    height: int
    colours: tuple[str, ...]
    told: str = ""

    @property
    def tokens(self) -> int:
        """What it counts as: one for each 28 × 28 pixels, 16 at least."""
        return max(16, -(-self.width // 28) * -(-self.height // 28))


@lru_cache(maxsize=128)
def picture_from(url: str) -> Picture:
    """Of a data URL of a PNG or JPEG file. Raises NotAPicture."""
    match = _DATA.match(url)
    if match is None:
        raise NotAPicture("only data URLs of image/png or image/jpeg in base64 are read")
    try:
        raw = base64.b64decode(match[1], validate=True)
        with Image.open(io.BytesIO(raw), formats=("PNG", "JPEG")) as image:
            if image.width * image.height > MOST_PIXELS:
                raise NotAPicture(f"it has more than {MOST_PIXELS:,} pixels")
            told = next((str(image.info[name]) for name in _TOLD if image.info.get(name)), "")
            small = image.convert("RGB").resize((32, 32))
    except NotAPicture:
        raise
    except (binascii.Error, UnidentifiedImageError, OSError, ValueError, SyntaxError) as error:
        raise NotAPicture("the bytes are not a PNG or JPEG picture") from error
    pixels = small.tobytes()
    seen = Counter(_nearest(*pixels[at : at + 3]) for at in range(0, len(pixels), 3))
    most = tuple(name for name, count in seen.most_common(3) if count > 60)
    return Picture(image.width, image.height, most, told.removeprefix("b'").rstrip("'"))


def pictures_in(content: Any) -> tuple[Picture, ...]:
    """The pictures of a message's content, already checked."""
    if not isinstance(content, list):
        return ()
    return tuple(picture_from(url) for part in content if (url := url_of(part)))


def url_of(part: Any) -> str | None:
    if not isinstance(part, dict) or part.get("type") != "image_url":
        return None
    inner = part.get("image_url")
    url = inner.get("url") if isinstance(inner, dict) else inner
    return url if isinstance(url, str) else ""


def _nearest(*colour: int) -> str:
    def distance(name: str) -> int:
        return sum((a - b) ** 2 for a, b in zip(colour, _COLOURS[name], strict=True))

    return min(_COLOURS, key=distance)
