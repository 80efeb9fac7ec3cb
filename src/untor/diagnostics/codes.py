"""The table of errors, with an input that causes each and the fixed input.

``message`` and ``hint`` are filled with the words that the finder of the problem gives.
``failing`` and ``mended`` are templates rendered with ``data``; a row whose problem is not about
a template's text has none and is shown by its own test.
"""

from __future__ import annotations

from collections import namedtuple
from types import MappingProxyType

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Mapping
    from typing import NamedTuple

    class Code(NamedTuple):
        """A kind of problem: the exception's name, the sentence, the way out, the example, and how bad it is.

        ``severity`` is ``error``, ``warning`` or ``note``, the words of SARIF 2.1.0 §3.27.10.
        """

        error: str
        message: str
        hint: str = ""
        failing: str = ""
        mended: str = ""
        data: Mapping[str, object] = MappingProxyType({})
        severity: str = "error"
else:  # typing is not loaded to render a page
    Code = namedtuple(
        "Code", "error message hint failing mended data severity", defaults=("", "", "", MappingProxyType({}), "error")
    )

_CALL = {"call": {"vessel": {"name": "Sea Holly", "id": 3}, "berth": None, "note": "all well"}}
_CALLS = {"calls": [{"name": "Sea Holly", "tons": 12}, {"name": "Gannet", "tons": 9}]}

EXAMPLE_FILES = {
    "frame.html": "<title><! slot title else !>Port Ellery<! end !></title><body><! slot !>",
    "notice.html": "<p><! slot text else !>All well.<! end !></p>",
    "note.html": "<p>quay</p>",
    "circle.html": '<! include "circle" !>',
}
"""Templates that the examples use."""

CODES: dict[str, Code] = {
    # --- marks -------------------------------------------------------------------------------------------------
    "print-unclosed": Code(
        "MarkError",
        "This print mark is never closed.",
        "A print mark ends with =}}: {{= vessel.name =}}",
        "<p>{= call.note }</p>",
        "<p>{= call.note =}</p>",
        _CALL,
    ),
    "step-unclosed": Code(
        "MarkError",
        "This step mark is never closed.",
        "A step mark ends with !>: <! if calls !>",
        "<! if call.note ><p>{= call.note =}</p><! end !>",
        "<! if call.note !><p>{= call.note =}</p><! end !>",
        _CALL,
    ),
    "print-empty": Code(
        "MarkError",
        "This print mark is empty.",
        "Say what to print: {{= vessel.name =}}",
        "<p>{= =}</p>",
        "<p>{= call.note =}</p>",
        _CALL,
    ),
    "step-unknown": Code(
        "MarkError",
        'There is no step "{word}".',
        "Steps are {steps}.",
        "<! fore call in calls !><p>{= call.name =}</p><! end !>",
        "<! for call in calls !><p>{= call.name =}</p><! end !>",
        _CALLS,
    ),
    "markup-declaration": Code(
        "MarkError",
        "A browser reads this as a broken comment, and it is no step either.",
        "A step begins with a keyword: {steps}. For an HTML comment write <!-- … -->.",
        "<!element><p>Berths</p>",
        "<!-- element --><p>Berths</p>",
    ),
    "comment-unclosed": Code(
        "MarkError",
        "This HTML comment has a mark in it and is never closed.",
        "An HTML comment ends with -->.",
        "<!-- {= call.note =}",
        "<!-- {= call.note =} --><p>quay</p>",
        _CALL,
    ),
    "verbatim-unclosed": Code(
        "MarkError",
        'This "verbatim" is never closed.',
        "It goes on to <! end !> or <! end verbatim !>.",
        "<! verbatim !>{= marks =} mean nothing here",
        "<! verbatim !>{= marks =} mean nothing here<! end !>",
    ),
    "end-missing": Code(
        "MarkError",
        'This "{word}" is never closed.',
        "Write <! end !> where it ends.{more}",
        "<! for call in calls !><p>{= call.name =}</p>",
        "<! for call in calls !><p>{= call.name =}</p><! end !>",
        _CALLS,
    ),
    "end-extra": Code(
        "MarkError",
        'This "end" closes nothing: no step is open here.',
        "Take it away, or look for the step that it should close.",
        "<! if call.note !><p>{= call.note =}</p><! end !><! end !>",
        "<! if call.note !><p>{= call.note =}</p><! end !>",
        _CALL,
    ),
    "end-mismatch": Code(
        "MarkError",
        'This closes "{closes}", but the step open here is "{word}" from line {line}.',
        'Write <! end {word} !>, or close the "{word}" first.',
        "<! for call in calls !><! if call.tons !><p>{= call.name =}</p><! end for !><! end !>",
        "<! for call in calls !><! if call.tons !><p>{= call.name =}</p><! end if !><! end for !>",
        _CALLS,
    ),
    "branch-misplaced": Code(
        "MarkError",
        '"{word}" stands where no {owners} is open.',
        "It belongs between {example} and its end.",
        "<! else !><p>No calls.</p>",
        "<! if calls !><p>Calls.</p><! else !><p>No calls.</p><! end !>",
        _CALLS,
    ),
    "branch-after-else": Code(
        "MarkError",
        '"{word}" comes after the "else" in line {line}.',
        "The else is the last branch of its step.",
        "<! if calls !>a<! else !>b<! elif call !>c<! end !>",
        "<! if calls !>a<! elif call? !>c<! else !>b<! end !>",
        _CALLS,
    ),
    "step-shape": Code(
        "MarkError",
        'This "{word}" cannot be read: {trouble}.',
        "It is written {shape}",
        "<! for calls !><p>a call</p><! end !>",
        "<! for call in calls !><p>a call</p><! end !>",
        _CALLS,
    ),
    "too-deep": Code(
        "MarkError",
        "This is nested more than {most} levels deep.",
        "Give inner pieces a name with <! let !>, or prepare the value in the view.",
    ),
    "too-long": Code(
        "MarkError",
        "More than {most} of these follow one another.",
        "Give a part of it a name with <! let !>, or prepare the value in the view.",
    ),
    "not-utf8": Code(
        "MarkError",
        "This file is not UTF-8: the byte {byte} cannot stand here.",
        "Save the template as UTF-8.",
    ),
    # --- expressions -------------------------------------------------------------------------------------------
    "expression-end": Code(
        "MarkError",
        "The expression ends too early: {expected} is missing.",
        "",
        "<p>{= call.vessel. =}</p>",
        "<p>{= call.vessel.name =}</p>",
        _CALL,
    ),
    "expression-unexpected": Code(
        "MarkError",
        "{found} cannot stand here{expected}.",
        "A mark holds one expression; operators stand between values.",
        "<p>{= call.note call.berth =}</p>",
        "<p>{= call.note =}{= call.berth =}</p>",
        _CALL,
    ),
    "bracket-unclosed": Code(
        "MarkError",
        'This "{bracket}" is never closed.',
        'Put "{closing}" where it ends.',
        "<p>{= (1 + 2 =}</p>",
        "<p>{= (1 + 2) =}</p>",
    ),
    "string-unclosed": Code(
        "MarkError",
        "This text is never closed.",
        "Close it with {quote} on the same line; write \\n for a line break in it.",
        '<p>{= call.note ?? "none =}</p>',
        '<p>{= call.note ?? "none" =}</p>',
        _CALL,
    ),
    "string-escape": Code(
        "MarkError",
        "{escape} is no escape of a text.",
        "There are \\n \\r \\t \\\\ \\\" \\' \\xHH \\uHHHH \\UHHHHHHHH; write \\\\ for a backslash.",
        r'<p>{= "a\q" =}</p>',
        r'<p>{= "a\\q" =}</p>',
    ),
    "number-bad": Code(
        "MarkError",
        '"{number}" is no number.',
        "Numbers look like 12, 1_000, 0.5 or 2e6.",
        "<p>{= 12x =}</p>",
        "<p>{= 12 =}</p>",
    ),
    "name-private": Code(
        "MarkError",
        'Names that begin with "_" are out of reach of templates: "{word}".',
        "Give the value a public name in the view.",
        "<p>{= call.__class__ =}</p>",
        "<p>{= call.note =}</p>",
        _CALL,
    ),
    "argument-repeated": Code(
        "MarkError",
        'The argument "{word}" is given twice.',
        "Leave one of them out.",
        "<p>{= call.note | clip(n=3, n=4) =}</p>",
        "<p>{= call.note | clip(n=3) =}</p>",
        _CALL,
    ),
    "argument-order": Code(
        "MarkError",
        "An argument without a name cannot follow one with a name.",
        "Put the arguments without names first.",
        "<p>{= call.note | clip(n=3, 4) =}</p>",
        "<p>{= call.note | clip(n=3) =}</p>",
        _CALL,
    ),
    "filter-unknown": Code(
        "MarkError",
        'There is no filter "{word}".',
        "Filters are {filters}.",
        "<p>{= call.note | uper =}</p>",
        "<p>{= call.note | upper =}</p>",
        _CALL,
    ),
    "filter-arguments": Code(
        "MarkError",
        'The filter "{word}" cannot be called like this: {trouble}.',
        "It takes {shape}",
        "<p>{= call.note | clip =}</p>",
        "<p>{= call.note | clip(3) =}</p>",
        _CALL,
    ),
    "position-attribute": Code(
        "MarkError",
        'The position "{name}" of a loop has no "{word}".',
        "It has number, index, first, last, odd, even and total.",
        "<! for call in calls as row !>{= row.nummer =}<! end !>",
        "<! for call in calls as row !>{= row.number =}<! end !>",
        _CALLS,
    ),
    "position-alone": Code(
        "MarkError",
        'The position "{name}" of a loop is not a value by itself.',
        "Use {name}.number, .index, .first, .last, .odd, .even or .total.",
        "<! for call in calls as row !>{= row =}<! end !>",
        "<! for call in calls as row !>{= row.number =}<! end !>",
        _CALLS,
    ),
    # --- pieces put together -----------------------------------------------------------------------------------
    "layout-late": Code(
        "MarkError",
        "The layout must be said first, and once.",
        "Only white space, remarks and takes may stand before <! layout !>.",
        '<p>quay</p><! layout "frame" !>',
        '<! layout "frame" !><p>quay</p>',
    ),
    "takes-late": Code(
        "MarkError",
        "What a template takes must be said first, and once.",
        "Only white space, remarks and the layout may stand before <! takes !>.",
        "<p>quay</p><! takes berth: str !>",
        "<! takes berth: str !><p>quay</p>",
        {"berth": "N1"},
    ),
    "type-unknown": Code(
        "MarkError",
        'There is no type "{word}".',
        "Types are {types}.",
        "<! takes berth: string !><p>{= berth =}</p>",
        "<! takes berth: str !><p>{= berth =}</p>",
        {"berth": "N1"},
    ),
    "into-misplaced": Code(
        "MarkError",
        'An "into" stands at the top of a page with a layout, or directly in a "use".',
        "Take it out of the step around it, or say which layout it is for.",
        "<! into title !>Berths<! end !>",
        '<! layout "frame" !><! into title !>Berths<! end !>',
    ),
    "into-repeated": Code(
        "MarkError",
        'There is already content for the slot "{word}", in line {line}.',
        "Put both into one <! into !>.",
        '<! layout "frame" !><! into title !>a<! end !><! into title !>b<! end !>',
        '<! layout "frame" !><! into title !>a b<! end !>',
    ),
    "slot-unknown": Code(
        "MarkError",
        '"{target}" has no slot "{word}".',
        "{near}",
        '<! layout "frame" !><! into titel !>Berths<! end !>',
        '<! layout "frame" !><! into title !>Berths<! end !>',
    ),
    "slot-missing": Code(
        "MarkError",
        '"{target}" has no slot for this content.',
        "Add <! slot !> to it, or put the content into one of its slots{near}.",
        '<! use "notice" !>Storm<! end !>',
        '<! use "notice" !><! into text !>Storm<! end !><! end !>',
    ),
    "fallback-misplaced": Code(
        "MarkError",
        '"fallback" stands outside of an "into".',
        "It prints the slot's own content inside the content for the slot.",
        "<! fallback !>",
        '<! layout "frame" !><! into title !>Berths of <! fallback !><! end !>',
    ),
    "part-misplaced": Code(
        "MarkError",
        "A part stands at the top of its file, not inside another step.",
        "Move it out; parts may be included before they are defined.",
        "<! if calls !><! part row(call) !><p></p><! end !><! end !>",
        "<! part row(call) !><p></p><! end !><p>quay</p>",
        _CALLS,
    ),
    "part-repeated": Code(
        "MarkError",
        'There is already a part "{word}", in line {line}.',
        "Give one of them another name.",
        "<! part row !>a<! end !><! part row !>b<! end !>",
        "<! part row !>a<! end !><! part last !>b<! end !><p>quay</p>",
    ),
    "part-unknown": Code(
        "MarkError",
        'There is no part "{word}" in {file}.',
        "{near}",
        "<! part row(call) !><p>{= call.name =}</p><! end !><! include rwo call=calls[0] !>",
        "<! part row(call) !><p>{= call.name =}</p><! end !><! include row call=calls[0] !>",
        _CALLS,
    ),
    "part-differs": Code(
        "PlacementError",
        'The part "{word}" includes itself, so it must end where it begins; it begins {first} and ends {second}.',
        "Close in the part what is opened in it.",
        "<! part row(n) !><p>{= n =}<! include row n=n !><textarea><! end !><! include row n=1 !>",
        "<! part row(n) !><p>{= n =}</p><! if n !><! include row n=n-1 !><! end !><! end !><! include row n=1 !>",
    ),
    "circular": Code(
        "MarkError",
        "This goes round in a circle: {circle}.",
        "Take one of the steps out. Only parts may include themselves.",
        '<! include "circle" !>',
        '<! include "note" !>',
    ),
    "argument-missing": Code(
        "MarkError",
        '"{target}" needs {word}, which is not given here.',
        "Pass it on: {word}=…. It takes {takes}.",
        "<! part row(call) !><p>{= call.name =}</p><! end !><! include row !>",
        "<! part row(call) !><p>{= call.name =}</p><! end !><! include row call=calls[0] !>",
        _CALLS,
    ),
    "argument-unknown": Code(
        "MarkError",
        '"{target}" does not take "{word}".',
        "{near}",
        "<! part row(call) !><p>{= call.name =}</p><! end !><! include row cal=calls[0] !>",
        "<! part row(call) !><p>{= call.name =}</p><! end !><! include row call=calls[0] !>",
        _CALLS,
    ),
    "call-refused": Code(
        "MarkError",
        "Only a function of the context or a helper can be called here.",
        "Write its name, with its arguments in brackets: link(3). For other work use a filter: value | filter.",
        "<p>{= (call.note + 'x')() =}</p>",
        "<p>{= call.note =}</p>",
        _CALL,
    ),
    # --- places ------------------------------------------------------------------------------------------------
    "place-refused": Code(
        "PlacementError",
        "A value cannot stand {place}: {reason}.",
        "{remedy}",
        "<{= call.note =}>quay</p>",
        "<p>{= call.note =}</p>",
        _CALL,
    ),
    "place-active": Code(
        "PlacementError",
        "A value cannot stand {place}: {reason}.",
        "{remedy}",
        '<p ng-if="{= call.note =}">quay</p>',
        '<p data-note="{= call.note =}">quay</p>',
        _CALL,
    ),
    "place-unquoted": Code(
        "PlacementError",
        "A value cannot be only a part of an attribute value without quotes.",
        'Put the whole attribute value in quotes: {name}="…"',
        "<p class=call-{= call.vessel.id =}>quay</p>",
        '<p class="call-{= call.vessel.id =}">quay</p>',
        _CALL,
    ),
    "place-reference": Code(
        "PlacementError",
        "A value cannot stand inside the unfinished character reference {reference}.",
        "Write &amp; for an ampersand, or finish the reference with a semicolon.",
        "<p>&#{= call.vessel.id =};</p>",
        "<p>&amp;#{= call.vessel.id =};</p>",
        _CALL,
    ),
    "place-percent": Code(
        "PlacementError",
        "A value or step cannot stand inside the unfinished percent-encoding {text}.",
        "Write %25 for a percent sign, or finish the encoding in the fixed text.",
        '<a href="/v/%2{= call.vessel.id =}">quay</a>',
        '<a href="/v/%20{= call.vessel.id =}">quay</a>',
        _CALL,
    ),
    "trusted-reason": Code(
        "MarkError",
        "The filter trusted needs a reason, as text in the template.",
        'Say what makes the value safe: body | trusted("cleaned in feeds.clean()").',
        "<p>{= call.note | trusted(call.note) =}</p>",
        '<p>{= call.note | trusted("typed by the harbour office only") =}</p>',
        _CALL,
    ),
    "xml-unquoted": Code(
        "PlacementError",
        'The value of the attribute "{name}" has no quotes, which XML does not allow.',
        'Put it into quotes: {name}="…".',
    ),
    "xml-subset": Code(
        "PlacementError",
        "A doctype with declarations in it cannot be followed.",
        "Take the part in square brackets away.",
    ),
    "branches-differ": Code(
        "PlacementError",
        'The branches of this "{word}" end in different places: {first} or {second}.',
        "Close in each branch what is opened in it, so that the markup after it is read the same way.",
        '<p <! if call.note !>title="<! end !>>quay</p>',
        '<p <! if call.note !>title="x"<! end !>>quay</p>',
        _CALL,
    ),
    "loop-differs": Code(
        "PlacementError",
        "The body of this loop ends {second}, but it began {first}.",
        "Close inside the loop what is opened in it.",
        "<! for call in calls !><title>{= call.name =}<! end !>",
        "<! for call in calls !><p title='{= call.name =}'></p><! end !>",
        _CALLS,
    ),
    "url-split": Code(
        "PlacementError",
        'The URL in "{name}" begins and ends on different sides of a step.',
        "Put the step around the whole attribute, or between its quotes with everything that it needs.",
        '<a <! if call.note !>href="/a<! else !>href="/b<! end !>">quay</a>',
        '<a <! if call.note !>href="/a"<! else !>href="/b"<! end !>>quay</a>',
        _CALL,
    ),
    "step-inside": Code(
        "PlacementError",
        "A step cannot stand {place}.",
        "{remedy}",
        "<p <! if call.note !>hidden<! end !>class='a'>quay</p>",
        "<p <! if call.note !>hidden<! end !> class='a'>quay</p>",
        _CALL,
    ),
    "text-after-value": Code(
        "PlacementError",
        "After a value without quotes, the tag must go on with white space or end.",
        'Put the whole attribute value in quotes: {name}="…"',
        "<p class={= call.note =}-quay>quay</p>",
        '<p class="{= call.note =}-quay">quay</p>',
        _CALL,
    ),
    "head-after-text": Code(
        "PlacementError",
        "A value stands before <{name}>, which belongs into the head of the page.",
        "A value there would end the head before <{name}>. Put the value after it, or into the body.",
        "{= call.note =}<title>Berths</title>",
        "<title>Berths</title><p>{= call.note =}</p>",
        _CALL,
    ),
    "scripting-differs": Code(
        "PlacementError",
        "Browsers with and without scripting would read this noscript differently.",
        "Keep </noscript out of comments and attributes inside it.",
        '<noscript><p title="</noscript>"></noscript>{= call.note =}',
        "<noscript><p></p></noscript><p>{= call.note =}</p>",
        _CALL,
    ),
    # --- rendering ---------------------------------------------------------------------------------------------
    "name-missing": Code(
        "MissingValue",
        'There is no "{word}" here.',
        "{near}",
        "<! for call in cals !><p>a call</p><! end !>",
        "<! for call in calls !><p>a call</p><! end !>",
        _CALLS,
    ),
    "attribute-missing": Code(
        "MissingValue",
        'There is no "{word}" in this {type}.',
        "{near}",
        "<p>{= call.vessel.nam =}</p>",
        "<p>{= call.vessel.name =}</p>",
        _CALL,
    ),
    "attribute-of-none": Code(
        "MissingValue",
        'There is no "{word}" here, because {owner} is None.',
        "If it may be None, write {owner}?.{word} to print nothing, or test it with <! if {owner} !>.",
        "<p>{= call.berth.code =}</p>",
        "<p>{= call.berth?.code =}</p>",
        _CALL,
    ),
    "item-missing": Code(
        "MissingValue",
        "There is no item {key} in this {type}.",
        "{near}",
        "<p>{= calls[5].name =}</p>",
        "<p>{= calls[1].name =}</p>",
        _CALLS,
    ),
    "attribute-refused": Code(
        "RenderError",
        "Templates cannot look into a {type}.",
        "Take what the page needs out of it in the view.",
    ),
    "takes-missing": Code(
        "MissingValue",
        "This template takes {word}, and the page was not given it.",
        "{near}",
        "<! takes berth !><p>{= berth =}</p>",
        '<! takes berth = "none" !><p>{= berth =}</p>',
    ),
    "takes-type": Code(
        "RenderError",
        '"{word}" must be {wanted}, not {what}.',
        "{remedy}",
        "<! takes tons: float !><p>{= tons =}</p>",
        "<! takes tons !><p>{= tons =}</p>",
        {"tons": "12"},
    ),
    "not-callable": Code(
        "RenderError",
        "{what} cannot be called.",
        "{remedy}",
        "<p>{= call.note.strip() =}</p>",
        "<p>{= call.note =}</p>",
        _CALL,
    ),
    "function-as-value": Code(
        "RenderError",
        "{what} is not data.",
        "Call it in the view, and pass on what it returns.",
        "<! if call.note.isupper !><p>loud</p><! end !>",
        "<! if call.note !><p>noted</p><! end !>",
        _CALL,
    ),
    "call-failed": Code(
        "RenderError",
        '"{word}" failed: {trouble}',
        "",
    ),
    "recursion": Code(
        "RenderError",
        "This goes on without end: something includes or calls itself again and again.",
        "Give the recursion an end with <! if !>.",
        "<! part row(n) !><! include row n=n !><! end !><! include row n=1 !>",
        "<! part row(n) !>{= n =}<! if n !><! include row n=n-1 !><! end !><! end !><! include row n=1 !>",
    ),
    "not-iterable": Code(
        "RenderError",
        "A loop cannot run over {what}.",
        "A loop needs a list or another collection of values.",
        "<! for ton in calls[0].tons !><p>{= ton =}</p><! end !>",
        "<! for call in calls !><p>{= call.tons =}</p><! end !>",
        _CALLS,
    ),
    "not-pairs": Code(
        "RenderError",
        "This loop takes two values from each item, but item {number} is {what}.",
        "Loop with two names over a mapping or over pairs.",
        "<! for name, tons in [1, 2] !><p>{= name =}</p><! end !>",
        "<! for name, tons in calls[0] !><p>{= name =}</p><! end !>",
        _CALLS,
    ),
    "not-printable": Code(
        "RenderError",
        "{what} cannot be printed.",
        "{remedy}",
        "<p>{= call.note.upper =}</p>",
        "<p>{= call.note | upper =}</p>",
        _CALL,
    ),
    "filter-failed": Code(
        "RenderError",
        'The filter "{word}" failed: {trouble}',
        "",
        "<p>{= call | upper =}</p>",
        "<p>{= call.note | upper =}</p>",
        _CALL,
    ),
    "expression-failed": Code(
        "RenderError",
        "This cannot be computed: {trouble}",
        "",
        "<p>{= calls[0].tons + calls[0].name =}</p>",
        "<p>{= calls[0].tons + calls[1].tons =}</p>",
        _CALLS,
    ),
    "context-bad": Code(
        "RenderError",
        "The context of a page must be a mapping of names to values, not {what}.",
        'Pass a dict: render("arrivals", {{"calls": calls}}).',
    ),
    # --- answering requests ------------------------------------------------------------------------------------
    "call-wrong": Code("MarkError", 'This call of "{word}" fails: {trouble}', ""),
    "policy-hash": Code(
        "PlacementError",
        "This <{tag}> can have no hash for the Content-Security-Policy: {reason}.",
        'Put values into a <script type="application/json"> element, or use nonces: Policy() without hashes.',
    ),
    # --- finding templates and data ----------------------------------------------------------------------------
    "template-missing": Code("TemplateMissing", 'There is no template "{word}".', "{near}"),
    "template-name": Code(
        "TemplateMissing",
        "{word} is no name of a template: {trouble}.",
        "Names are relative to the templates' folders, with / between folders.",
    ),
    "template-unreadable": Code("TemplateMissing", 'The template "{word}" cannot be read: {trouble}.', ""),
    "data-unreadable": Code("DataError", "The data file cannot be read: {trouble}.", ""),
    "data-syntax": Code("DataError", "This is not {format}: {trouble}.", "{remedy}"),
}
