"""Tables of CSS: at-rules, functions in selectors, functions that load; each with its specification."""

from __future__ import annotations

from typing import NamedTuple


class AtRule(NamedTuple):
    """An at-rule: what a value may be in its prelude, and what is in its block.

    ``prelude`` is ``condition`` (values in brackets), ``name`` (one that the sheet makes), ``selectors``, ``family``
    (of a font, in quotes) or ``fixed``; ``block`` is ``{`` of declarations, ``{rules``, ``{frames`` or ``{unknown``.
    """

    prelude: str
    block: str


_DECLARATIONS = "{"
_RULES = "{rules"

AT_RULES: dict[str, AtRule] = {
    # CSS Conditional Rules 3 to 5
    "media": AtRule("condition", _RULES),
    "supports": AtRule("condition", _RULES),
    "container": AtRule("condition", _RULES),
    "when": AtRule("fixed", _RULES),
    "else": AtRule("fixed", _RULES),
    "document": AtRule("fixed", _RULES),
    # CSS Cascade 5 and 6, CSS Transitions 2
    "layer": AtRule("name", _RULES),
    "scope": AtRule("selectors", _RULES),
    "starting-style": AtRule("fixed", _RULES),
    # CSS Animations 1
    "keyframes": AtRule("name", "{frames"),
    "-webkit-keyframes": AtRule("name", "{frames"),
    "-moz-keyframes": AtRule("name", "{frames"),
    "-o-keyframes": AtRule("name", "{frames"),
    # CSS Fonts 4
    "font-face": AtRule("fixed", _DECLARATIONS),
    "font-palette-values": AtRule("fixed", _DECLARATIONS),
    "font-feature-values": AtRule("family", _RULES),
    **dict.fromkeys(
        """annotation character-variant historical-forms ornaments styleset stylistic swash""".split(),
        AtRule("fixed", _DECLARATIONS),
    ),
    # CSS Counter Styles 3, Properties and Values 1, Color 5, Anchor Positioning 1, View Transitions 2
    "counter-style": AtRule("fixed", _DECLARATIONS),
    "property": AtRule("fixed", _DECLARATIONS),
    "color-profile": AtRule("fixed", _DECLARATIONS),
    "position-try": AtRule("fixed", _DECLARATIONS),
    "view-transition": AtRule("fixed", _DECLARATIONS),
    # CSS Paged Media 3
    "page": AtRule("fixed", _DECLARATIONS),
    **dict.fromkeys(
        """bottom-center bottom-left bottom-left-corner bottom-right bottom-right-corner left-bottom left-middle
        left-top right-bottom right-middle right-top top-center top-left top-left-corner top-right
        top-right-corner""".split(),
        AtRule("fixed", _DECLARATIONS),
    ),
    # Drafts: what is in their blocks may still change
    **dict.fromkeys(
        """apply contents custom-media custom-selector function location mixin navigation private
        supports-condition""".split(),
        AtRule("fixed", "{unknown"),
    ),
}
"""Every at-rule; in any other a value is refused."""

LOADING = frozenset({"import", "namespace", "charset"})
"""At-rules that load a sheet or decide how this one is read (CSS Cascade 5 §2, Namespaces §2, Syntax 3 §8)."""

SELECTOR_FUNCTIONS: dict[str, str] = {
    # Selectors 4 §4, CSS Shadow Parts, CSS Scoping
    **dict.fromkeys("is where not has matches host host-context slotted cue current".split(), "selectors"),
    # Selectors 4 §13: ``an+b``
    **dict.fromkeys("nth-child nth-last-child nth-of-type nth-last-of-type nth-col nth-last-col".split(), "nth"),
    # Names that the page makes, and languages
    **dict.fromkeys(
        """lang state part highlight view-transition-group view-transition-image-pair view-transition-new
        view-transition-old view-transition-group-children active-view-transition-type""".split(),
        "name",
    ),
}
"""What a value is in a function of a selector; in any other it could drop the rule."""

URL_MODIFIERS = frozenset({"cross-origin", "integrity", "referrer-policy"})
"""Functions that decide how a URL is loaded (CSS Values 5 §3.2)."""

URL_FUNCTIONS = frozenset({"url", "src", "image", "image-set", "-webkit-image-set"})
"""Functions whose strings are URLs (CSS Values 4 §4.5, CSS Images 4 §2)."""

CODE = frozenset({"behavior", "-moz-binding"})
"""Properties that browsers of old have run as code."""
