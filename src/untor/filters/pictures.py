"""Figures, images and data frames as HTML: inline images with an alternative text, accessible tables."""

from __future__ import annotations

from untor.escape import TrustedHTML, printed
from untor.escape.fields import columns_of, fields_of, root_of, rows_of
from untor.escape.html import attribute
from untor.escape.html import text as escaped
from untor.escape.kinds import (
    DECIMAL,
    FLOAT,
    FRACTION,
    FRAME,
    INTEGER,
    ITERATOR,
    MAPPING,
    MODEL,
    ROW,
    SEQUENCE,
    SET,
    is_absent,
    kind_of,
)
from untor.runtime.filter_error import FilterProblem, unfit

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Iterator
    from typing import Any

# MIME Sniffing §6.1: the signatures of images.
_SIGNATURES: tuple[tuple[bytes, int, bytes, str], ...] = (
    (b"\x89PNG\r\n\x1a\n", 0, b"", "image/png"),
    (b"\xff\xd8\xff", 0, b"", "image/jpeg"),
    (b"GIF87a", 0, b"", "image/gif"),
    (b"GIF89a", 0, b"", "image/gif"),
    (b"RIFF", 8, b"WEBPVP", "image/webp"),
    (b"", 4, b"ftypavif", "image/avif"),
    (b"BM", 0, b"", "image/bmp"),
)
_REASON = "made by the filter picture"


def picture(value: object, *, alt: str, format: str = "svg", width: int | None = None) -> TrustedHTML:  # noqa: A002  its word
    """Return a figure (with ``savefig``, as of Matplotlib) or the bytes of an image as a picture in the page.

    ``alt`` describes it, for those who do not see it; empty for a picture that only decorates. Figures are drawn
    as ``"svg"`` or ``"png"``; ``width`` is in CSS pixels. The picture is a data URL of an ``img`` element, in which
    nothing can run.
    """
    from base64 import b64encode  # noqa: PLC0415  only for pictures

    if not isinstance(alt, str):
        raise FilterProblem('the alternative text must be text: alt="The tide at the north quay".')
    if format not in {"svg", "png"}:
        raise FilterProblem('the format must be "svg" or "png".')
    if width is not None and (isinstance(width, bool) or not isinstance(width, int) or width < 1):
        raise FilterProblem("the width must be an integer, in pixels.")
    if isinstance(value, bytes | bytearray | memoryview):
        octets = bytes(value)
        kind = _kind_of(octets)
    elif callable(getattr(type(value), "savefig", None)):
        octets, kind = _drawn(value, format)
    else:
        raise unfit("figures and the bytes of images", value)
    size = "" if width is None else f' width="{width}"'
    source = f"data:{kind};base64,{b64encode(octets).decode()}"
    return TrustedHTML(f'<img src="{source}" alt="{attribute(alt)}"{size}>', reason=_REASON)


def _kind_of(octets: bytes) -> str:
    for start, offset, later, kind in _SIGNATURES:
        if octets.startswith(start) and octets[offset : offset + len(later)] == later:
            return kind
    raise FilterProblem("these bytes are not a PNG, JPEG, GIF, WebP, AVIF or BMP image.")


def _drawn(figure: Any, format: str) -> tuple[bytes, str]:  # noqa: A002
    from io import BytesIO  # noqa: PLC0415  only for figures

    file = BytesIO()
    # Without the date, the same figure makes the same page.
    figure.savefig(file, format=format, bbox_inches="tight", metadata={"Date": None} if format == "svg" else None)
    return file.getvalue(), "image/svg+xml" if format == "svg" else "image/png"


NUMBERS = ' class="number"'
"""The attribute of cells of numbers, for a rule of the site's style sheet."""


def table_filter(number: Callable[..., object]) -> Callable[..., TrustedHTML]:
    """Make the filter ``table``, which writes numbers as ``number`` does."""

    def table(value: object, *, caption: str, locale: str | None = None) -> TrustedHTML:
        """Return a data frame, or a list of rows, as a table with a caption and headings; every cell is escaped.

        Rows are mappings, rows of a database, models and named tuples.

        Columns of numbers are written as in the locale, and have the class ``number``: a style attribute would be
        blocked by a strict Content-Security-Policy.
        """
        if not isinstance(caption, str):
            raise FilterProblem('the caption must be text: caption="Tides of the week".')
        names, rows = _columns_and_rows(value)
        numeric = [_is_numeric(row[index] for row in rows) for index in range(len(names))]

        def cell(item: object, is_number: bool) -> str:  # noqa: FBT001
            if is_absent(item):
                return "<td></td>"
            if is_number:
                return f"<td{NUMBERS}>{escaped(printed(number(item, locale=locale)))}</td>"
            return f"<td>{escaped(printed(item))}</td>"

        heads = [
            f'<th scope="col"{NUMBERS if is_number else ""}>{escaped(printed(name))}</th>'
            for name, is_number in zip(names, numeric, strict=True)
        ]
        body = [
            f"<tr>{''.join(cell(item, is_number) for item, is_number in zip(row, numeric, strict=True))}</tr>"
            for row in rows
        ]
        html = [
            "<table>",
            f"<caption>{escaped(caption)}</caption>",
            f"<thead><tr>{''.join(heads)}</tr></thead>",
            "<tbody>",
            *body,
            "</tbody>",
            "</table>",
        ]
        return TrustedHTML("\n".join(html), reason="escaped by the filter table")

    return table


def _columns_and_rows(value: Any) -> tuple[list[object], list[list[object]]]:
    if kind_of(value) == FRAME:
        return list(value.columns), [list(row) for row in rows_of(value)]
    if kind_of(value) not in {SEQUENCE, SET, ITERATOR}:
        raise unfit("data frames and lists of mappings or of other objects with fields", value)
    rows = [_row(row) for row in value]
    names = list(dict.fromkeys(name for row in rows for name in row))
    return names, [[row.get(name) for name in names] for row in rows]


def _row(row: Any) -> dict[Any, object]:
    kind = kind_of(row)
    if kind == MAPPING:
        return {name: row[name] for name in row}
    if kind == ROW:
        return columns_of(row)
    if kind == MODEL and not root_of(row):
        return fields_of(row)
    if names := getattr(type(row), "_fields", None) if isinstance(row, tuple) else None:
        return dict(zip(names, row, strict=True))
    raise unfit("data frames and lists of mappings or of other objects with fields", row)


def _is_numeric(items: Iterator[object]) -> bool:
    present = [item for item in items if not is_absent(item)]
    return bool(present) and all(kind_of(item) in _NUMBERS and not isinstance(item, bool) for item in present)


_NUMBERS = frozenset({DECIMAL, FLOAT, FRACTION, INTEGER})
