"""A file that somebody hands in, from disk or pasted."""

from __future__ import annotations

from django.http import HttpRequest

from ember_core.errors import FormatError, InputError, ValueRangeError
from ember_core.wording.message import say

MOST_BYTES = 1_000_000


def read_upload(request: HttpRequest, most: int = MOST_BYTES) -> tuple[str, InputError | None]:
    """The text of a form's ``file``, else of its ``text``, and what is wrong with it.

    Parameters
    ----------
    request : HttpRequest
    most : int
        Bytes of a file, and letters that are kept of what was pasted.

    Returns
    -------
    text : str
        To be shown again where it cannot be used; empty for a file that is no text.
    error : InputError or None
    """
    upload, text = request.FILES.get("file"), request.POST.get("text", "")
    many = len(text) if upload is None else upload.size or 0
    if many > most:
        words = say(
            "That is {many:,} bytes; at most {most:,} are taken. Remove what is not needed, or hand it in in parts.",
            many=many,
            most=most,
        )
        return text[:most], ValueRangeError(words, path="text" if upload is None else "file")
    if upload is None:
        return text, None
    try:
        return upload.read().decode("utf-8-sig"), None
    except UnicodeDecodeError:
        return "", FormatError(say("The file is not UTF-8 text; save it as UTF-8 JSON."), path="file")
