"""Images as inputs: a `data:` address, looked into before it is sent anywhere."""

from __future__ import annotations

import base64
import binascii
import io
import re

from PIL import Image as Pillow

from epistem.core.errors import InvalidInput

MAX_IMAGE_BYTES = 10_000_000
KINDS = {"PNG": "image/png", "JPEG": "image/jpeg", "GIF": "image/gif", "WEBP": "image/webp"}
_DATA = re.compile(r"data:image/[a-z0-9.+-]+;base64,", re.I)


def checked_image(value: object, name: str) -> str:
    """The image as a `data:` address that names its true kind.

    Raises InvalidInput, naming the input, for what is not an image, or one that is too large.
    """
    field = f"inputs.{name}"
    start = _DATA.match(value) if isinstance(value, str) else None
    if start is None or not isinstance(value, str):
        raise InvalidInput(
            f"The input “{name}” is an image: choose a PNG, JPEG, GIF or WebP file.", field=field
        )
    try:
        content = base64.b64decode(value[start.end() :], validate=True)
    except (binascii.Error, ValueError) as error:
        raise InvalidInput(
            f"The image “{name}” is cut or damaged: it is not base64.", field=field
        ) from error
    if len(content) > MAX_IMAGE_BYTES:
        raise InvalidInput(
            f"The image “{name}” has {len(content):,} bytes; the limit is {MAX_IMAGE_BYTES:,}.",
            field=field,
        )
    try:
        with Pillow.open(io.BytesIO(content), formats=list(KINDS)) as opened:
            kind = KINDS[str(opened.format)]
            opened.verify()
    except Exception as error:  # Pillow raises many kinds for damaged files
        raise InvalidInput(
            f"The input “{name}” is not an image that can be read. "
            "Choose a PNG, JPEG, GIF or WebP file.",
            field=field,
        ) from error
    return f"data:{kind};base64,{base64.b64encode(content).decode()}"
