"""Values that would change a page if they were printed without escaping."""

from __future__ import annotations

HOSTILE: tuple[str, ...] = (
    "",
    # HTML: tags, end tags, comments, sections
    "<b>",
    "<script>alert(1)</script>",
    "<img src=x onerror=alert(1)>",
    "<svg onload=alert(1)>",
    "</p></div></body>",
    "</title><script>alert(1)</script>",
    "</textarea><script>alert(1)</script>",
    "</script><script>alert(1)</script>",
    "</style><script>alert(1)</script>",
    "</noscript><script>alert(1)</script>",
    "</iframe><script>alert(1)</script>",
    "<!--",
    "--><script>alert(1)</script>",
    "--!><img src=x onerror=alert(1)>",
    "<!--<script>",
    "]]><script>alert(1)</script>",
    "<![CDATA[",
    "<?php ?>",
    "<plaintext>",
    "<table><td>",
    "<",
    "&",
    "&lt;script&gt;alert(1)&lt;/script&gt;",
    "&#60;script&#62;",
    # attributes
    '" onmouseover="alert(1)',
    "' onmouseover='alert(1)",
    '"><script>alert(1)</script>',
    "'><script>alert(1)</script>",
    " onfocus=alert(1) autofocus",
    "x y=z",
    "`onload=alert(1)`",
    "/>",
    # URLs
    "javascript:alert(1)",
    "JaVaScRiPt:alert(1)",
    "\x01javascript:alert(1)",
    "java\tscript:alert(1)",
    "\njava\r\nscript:alert(1)",
    "javascript&colon;alert(1)",
    "&#106;avascript:alert(1)",
    "javascript%3Aalert(1)",
    "vbscript:msgbox(1)",
    "data:text/html,<script>alert(1)</script>",
    "data:image/svg+xml,<svg onload=alert(1)>",
    "blob:https://elsewhere.example/1",
    "https://elsewhere.example/",
    "//elsewhere.example/",
    "\\\\elsewhere.example\\",
    "/\\elsewhere.example/",
    "@elsewhere.example/",
    ".elsewhere.example",
    ":80@elsewhere.example/",
    "..",
    "../..",
    "%2e%2e/",
    "?a=b&c=d#e",
    "#",
    "x.png 2x, //elsewhere.example/y.png",
    "0;url=javascript:alert(1)",
    # scripts
    "';alert(1);//",
    '";alert(1);//',
    "\\",
    "\\';alert(1);//",
    "${alert(1)}",
    "`;alert(1);`",
    "*/alert(1)/*",
    "//",
    "/*",
    "alert(1)",
    "1;alert(1)",
    "]});alert(1);({[",
    "\u2028alert(1)//",
    "\n};alert(1);{",
    "__proto__",
    "/;alert(1);/",
    "[x]|(",
    # styles
    "red;x:url(//elsewhere.example/)",
    "}*{background:url(//elsewhere.example/)}",
    "url(//elsewhere.example/)",
    "url(javascript:alert(1))",
    "expression(alert(1))",
    "@import '//elsewhere.example/';",
    "\\65xpression(alert(1))",
    "red!important",
    "red/*",
    "var(--x)",
    # characters
    "\x00",
    "\r",
    "\ud800",
    "\ufeff<",
    "\uff1cscript\uff1e",
    "\u202e<b>",
    "{= secret =}",
    "<! if secret !>",
    "x" * 3000,
)
"""Each is tried in every placement alone, and in all of them together."""

HALVES: tuple[tuple[str, str], ...] = (
    ("java", "script:alert(1)"),
    ("<scr", "ipt>alert(1)</script>"),
    ("<!--", "-->"),
    ("/*", "*/alert(1)"),
    ("\\", "alert(1)//"),
    ('"', "onclick=alert(1) "),
    ("&", "lt;b&gt;"),
    ("/", "/elsewhere.example"),
    ("", "/elsewhere.example"),
    ("https:", "//elsewhere.example"),
    ("${", "alert(1)}"),
    ("url(", "//elsewhere.example)"),
    ("<", "!--"),
    ("<", "b>"),
    (".", "."),
)
"""Values that mean something only together: placements get the first and the second of a pair by turns."""

_HARMLESS = "xqz"


def harmless(text: str) -> str:
    """Return a harmless value of the length of another, so that both take the same way through the template."""
    length = max(len(text), 1)
    return (_HARMLESS * (length // len(_HARMLESS) + 1))[:length]


def is_harmless(text: str) -> bool:
    """Return whether a text begins with a harmless value."""
    return text.strip()[:2] in {"xq", "x"}
