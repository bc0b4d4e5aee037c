"""PDF: the text of its pages, in order."""

from __future__ import annotations

import re

import pypdfium2 as pdfium

from epistem.core.errors import InvalidInput
from epistem.core.knowledge.text import Text

MOST_PAGES = 5_000
_HYPHEN = re.compile(r"(?<=\w)[\u00ad\ufffe]\s*\n?|(?<=[a-z])-\n(?=[a-z])")


def read(content: bytes) -> Text:
    try:
        document = pdfium.PdfDocument(content)
    except pdfium.PdfiumError as error:
        locked = "password" in str(error).lower()
        said = (
            "This PDF is locked with a password. Save it without one, then bring that in."
            if locked
            else "This PDF can't be read: it is damaged, or no PDF."
        )
        raise InvalidInput(said, field="file") from error
    try:
        if len(document) > MOST_PAGES:
            raise InvalidInput(
                f"It has {len(document):,} pages; the limit is {MOST_PAGES:,}. Split it into several.",
                field="file",
            )
        pages = [_text_of(document[at]) for at in range(len(document))]
        title = str(document.get_metadata_dict().get("Title") or "").strip()
    finally:
        document.close()
    without = sum(not page.strip() for page in pages)
    if without == len(pages):
        raise InvalidInput(
            "There is no text in this PDF: its pages are pictures. Bring in a version with text.",
            field="file",
        )
    told = (f"{without} of {len(pages)} pages have no text, only pictures.",) if without else ()
    return Text("\n\n".join(pages).strip() + "\n", title, (), (), told)


def _text_of(page: pdfium.PdfPage) -> str:
    reading = page.get_textpage()
    try:
        text = reading.get_text_bounded().replace("\r\n", "\n").replace("\r", "\n")
        return _HYPHEN.sub("", text).replace("\0", "")
    finally:
        reading.close()
        page.close()
