"""Figures, images and data frames as HTML: inline images with an alternative text, accessible tables."""

from __future__ import annotations

from untor.escape import TrustedHTML, printed
from untor.escape.html import attribute
from untor.escape.html import text as escaped
from untor.runtime.filter_error import FilterProblem, unfit
from untor.runtime.iteration import is_data_frame, rows_of

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

    ``alt`` says what it shows, for those who do not see it; empty for a picture that only decorates. Figures are drawn
    as ``"svg"`` or ``"png"``; ``width`` is in CSS pixels. The picture is a data URL of an ``img`` element, in which
    nothing can run.
    """
    from base64 import b64encode  # noqa: PLC0415  only for pictures

    if not isinstance(alt, str):
        raise FilterProblem('the alternative text must be text: alt="The tide at the north quay".')
    if format not in {"svg", "png"}:
        raise FilterProblem('the format must be "svg" or "png".')
    if width is not None and (isinstance(width, bool) or not isinstance(width, int) or width < 1):
        raise FilterProblem("the width must be a whole number of pixels.")
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
    raise FilterProblem("these bytes are no PNG, JPEG, GIF, WebP, AVIF or BMP image.")


def _drawn(figure: Any, format: str) -> tuple[bytes, str]:  # noqa: A002
    from io import BytesIO  # noqa: PLC0415  only for figures

    file = BytesIO()
    # Without the date, the same figure makes the same page.
    figure.savefig(file, format=format, bbox_inches="tight", metadata={"Date": None} if format == "svg" else None)
    return file.getvalue(), "image/svg+xml" if format == "svg" else "image/png"


def table_filter(number: Callable[..., object]) -> Callable[..., TrustedHTML]:
    """Make the filter ``table``, which writes numbers as ``number`` does."""

    def table(value: object, *, caption: str, locale: str | None = None) -> TrustedHTML:
        """Return a data frame, or a list of mappings, as a table with a caption and headings; every cell is escaped.

        Columns of numbers are aligned to the right and written as in the locale.
        """
        if not isinstance(caption, str):
            raise FilterProblem('the caption must be text: caption="Tides of the week".')
        names, rows = _columns_and_rows(value)
        numeric = [_is_numeric(row[index] for row in rows) for index in range(len(names))]

        def cell(item: object, is_number: bool) -> str:  # noqa: FBT001
            if _is_nothing(item):
                return "<td></td>"
            if is_number:
                return f'<td style="text-align: right">{escaped(printed(number(item, locale=locale)))}</td>'
            return f"<td>{escaped(printed(item))}</td>"

        heads = [
            f'<th scope="col"{" style=" + chr(34) + "text-align: right" + chr(34) if is_number else ""}>'
            f"{escaped(printed(name))}</th>"
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
    if is_data_frame(value):
        return list(value.columns), [list(row) for row in rows_of(value)]
    if isinstance(value, list | tuple) and all(isinstance(row, dict) for row in value):
        names = list(dict.fromkeys(name for row in value for name in row))
        return names, [[row.get(name) for name in names] for row in value]
    raise unfit("data frames and lists of mappings", value)


def _is_numeric(items: Iterator[object]) -> bool:
    present = [item for item in items if not _is_nothing(item)]
    return bool(present) and all(_is_number(item) for item in present)


def _is_number(item: object) -> bool:
    from decimal import Decimal  # noqa: PLC0415
    from numbers import Real  # noqa: PLC0415

    return isinstance(item, Real | Decimal) and not isinstance(item, bool)


def _is_nothing(item: object) -> bool:
    """Tell ``None`` and what data frames have for it."""
    return item is None or (isinstance(item, float) and item != item) or type(item).__name__ in {"NAType", "NaTType"}  # noqa: PLR0124  only NaN is not itself
