"""Tables of HTML elements, each with the standard's section."""

from __future__ import annotations

# HTML §13.2.6.4.7 "in body": start tags after which the tokenizer is switched.
TEXT_STATES: dict[str, str] = {
    "title": "RCDATA",
    "textarea": "RCDATA",
    "style": "RAWTEXT",
    "xmp": "RAWTEXT",
    "iframe": "RAWTEXT",
    "noembed": "RAWTEXT",
    "noframes": "RAWTEXT",
    "script": "script data",
    "plaintext": "PLAINTEXT",
}

# HTML §13.1.2 "Void elements".
VOID = frozenset(
    {"area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "source", "track", "wbr"},
) | {"basefont", "bgsound", "frame", "keygen", "param"}

# HTML §3.2.5.2.5 "Phrasing content", without what has content of its own kind (script, svg, video, select, …), without
# button, which closes one around it; with the parts of ruby, and of text in SVG (SVG 2 §11.1 "text content child
# element").
MESSAGE_ELEMENTS = frozenset(
    """a abbr b bdi bdo br cite code data del dfn em i img input ins kbd label mark meter output progress q rp rt
    ruby s samp small span strong sub sup textpath time tspan u var wbr""".split(),
)
INLINE_VOID = MESSAGE_ELEMENTS & VOID
SVG_TEXT = frozenset({"a", "textpath", "tspan"})

# HTML §13.2.6.4.4 "in head", and those that §13.2.6.4.6 "after head" still puts into the head.
HEAD = frozenset(
    {"base", "basefont", "bgsound", "link", "meta", "title", "noscript", "noframes", "style", "script", "template"},
)

# HTML §13.2.6.4.7 "in body": "If the next token is a U+000A LINE FEED (LF) character token, then ignore that token".
NEWLINE_EATERS = frozenset({"pre", "listing", "textarea"})

TABLE_SECTIONS = frozenset({"tbody", "thead", "tfoot"})
TABLE_CELLS = frozenset({"td", "th"})
TABLE_PARTS = TABLE_SECTIONS | TABLE_CELLS | {"caption", "colgroup", "col", "tr"}

# HTML §13.2.6.4.9 to .14: elements in which the tree builder moves text out ("foster parenting") or drops it.
NO_TEXT = frozenset({"table", "tbody", "thead", "tfoot", "tr", "colgroup"})

# HTML §13.2.6.5: start tags that end foreign content.
BREAKOUT = frozenset(
    """b big blockquote body br center code dd div dl dt em embed h1 h2 h3 h4 h5 h6 head hr i img li listing menu meta
    nobr ol p pre ruby s small span strong strike sub sup table tt u ul var""".split(),
)

# HTML §13.2.4.2: MathML text integration points and the HTML integration points of SVG.
INTEGRATION_POINTS = frozenset(
    {"math:mi", "math:mo", "math:mn", "math:ms", "math:mtext", "svg:foreignobject", "svg:desc", "svg:title"},
)
