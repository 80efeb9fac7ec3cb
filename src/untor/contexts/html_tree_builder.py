"""The tree builder's part (HTML §13.2.6): how tags switch the tokenizer, and where text may be.

Only open elements that matter for that are kept: tables and their parts, ``template``, ``select``, ``noscript``,
and foreign elements as ``svg:name`` and ``math:name``; inside an integration point of foreign content HTML
elements as ``html:name``.
"""

from __future__ import annotations

from itertools import islice

from untor.contexts import html_active_formatting as formatting
from untor.contexts.html_content import of_element
from untor.contexts.html_elements import (
    BREAKOUT,
    HEAD,
    INTEGRATION_POINTS,
    NEWLINE_EATERS,
    TABLE_PARTS,
    TABLE_SECTIONS,
    TEXT_STATES,
    VOID,
)
from untor.contexts.placement import Refusal, Unreadable
from untor.contexts.ways import on_way, set_ways, ways_of

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.contexts.html_state import HtmlState
    from untor.contexts.stacks import Stack

_BEFORE_BODY = frozenset({"initial", "before head", "in head", "after head", "maybe body"})
_ROOTS = frozenset({"table", "template", "select", "noscript"})
_FOREIGN = frozenset({"svg:svg", "math:math"})
_TABLE_OR_ROOT = TABLE_PARTS | _ROOTS
SWITCHING = frozenset(
    HEAD | TABLE_PARTS | _ROOTS | TEXT_STATES.keys() | NEWLINE_EATERS | formatting.FORMATTING | formatting.MARKERS
) | {"html", "head", "svg", "math", "frameset"}
"""Start tags that matter even where nothing that matters is open."""
_RAW_IN_SELECT = frozenset(TEXT_STATES) - {"script", "textarea"} | {"noscript"}


def _to_body(machine: HtmlState) -> None:
    machine.insertion_modes = frozenset({"in body"})


def is_plain(machine: HtmlState) -> bool:
    """Return whether the machine is in a body where nothing is open but ordinary elements and paragraphs."""
    inline = machine.formatting
    opened = machine.stack.depth or inline.here.entries.depth or inline.outer.depth or machine.other_ways
    return not (opened or machine.xml) and machine.insertion_modes.isdisjoint(_BEFORE_BODY)


def characters(machine: HtmlState, text: str) -> None:
    """Go over text in the data state; text that is not only white space starts the body."""
    machine.after_pre = False
    if machine.xml:
        return
    if text.isspace() and not text.strip("\t\n\f\r "):
        return
    if not (machine.stack.depth or machine.insertion_modes.isdisjoint(_BEFORE_BODY)):
        _to_body(machine)
    if machine.other_ways or machine.stack.top == "colgroup":
        _leave_colgroup(machine)


def _leave_colgroup(machine: HtmlState) -> None:
    """Close a group of columns, which text ends (§13.2.6.4.12)."""
    ways = ways_of(machine)
    if any(way.stack.ends_with("colgroup") for way in ways):
        left = (way.stack.below if way.stack.ends_with("colgroup") else way.stack for way in ways)
        set_ways(machine, [way._replace(stack=stack) for way, stack in zip(ways, left, strict=True)])


def _on_each_way(machine: HtmlState, name: str, follow: Callable[[HtmlState, str], None]) -> None:
    """Go over a tag on each of several ways. Raises ``Unreadable`` if it is not the same tag to all of them."""
    machines = [on_way(machine, way) for way in ways_of(machine)]
    for each in machines:
        follow(each, name)
    first = machines[0]
    same = all(getattr(each, field) == getattr(first, field) for each in machines for field in _DECIDED)
    if not same:
        raise Unreadable("cell-differs", what=f"<{'/' if machine.closing else ''}{name}>")
    machine.__dict__.update(first.__dict__)
    machine.in_p = any(each.in_p for each in machines)
    machine.insertion_modes = frozenset().union(*(each.insertion_modes for each in machines))
    set_ways(machine, [ways_of(each)[0] for each in machines])


_DECIDED = ("state", "ambiguity", "after_pre", "inner", "no_language")
"""What a tag decides on that must be the same on all ways."""


def doctype(machine: HtmlState) -> None:
    """Go over a doctype (§13.2.6.4.1): it counts only before everything else."""
    if machine.xml:
        return
    _before_skeleton(machine, "!doctype")
    machine.insertion_modes = frozenset(
        "before head" if mode == "initial" else mode for mode in machine.insertion_modes
    )


def _before_skeleton(machine: HtmlState, name: str) -> None:
    """Refuse a value before markup that belongs before the body: the value would move it into the body."""
    if "maybe body" in machine.insertion_modes and not machine.stack:
        raise Unreadable("head-after-text", name=name)


def start_tag(machine: HtmlState, name: str) -> None:
    """Go over a start tag; the machine has its attributes' names."""
    if machine.other_ways:
        _on_each_way(machine, name, start_tag)
        return
    stack = machine.stack
    if name not in SWITCHING and not (
        machine.xml or machine.formatting.has_formatting() or not _FOREIGN.isdisjoint(stack.members)
    ):
        # A shortcut for most tags; it comes to the same.
        if not stack.depth:
            _insertion_mode(machine, name)
        elif stack.top == "colgroup":
            machine.stack = stack.below
        machine.in_p = formatting.paragraph(name, is_open=machine.in_p, closing=False)
        machine.after_pre = False
        return
    if machine.xml:
        if not machine.self_closing:
            machine.stack += (name,)
        return
    if _is_foreign(machine):
        if name not in BREAKOUT and not _is_html_integration(machine):
            _foreign_start_tag(machine, name)
            return
        if name == "font" or (name in {"mglyph", "malignmark"} and machine.stack[-1].startswith("math:")):
            machine.ambiguity = f"<{name}> inside <svg> or <math> is read in several ways"
        if not _is_html_integration(machine):
            _leave_foreign(machine)
    _insertion_mode(machine, name)
    if name in {"svg", "math"}:
        if not machine.self_closing:
            machine.stack += (f"{name}:{name}",)
        return
    in_integration = not _FOREIGN.isdisjoint(machine.stack.members)
    if in_integration and name not in VOID and name not in TABLE_PARTS and name not in _ROOTS:
        machine.stack += (f"html:{name}",)
    if name in _RAW_IN_SELECT and "select" in machine.stack.members:
        machine.ambiguity = f"browsers disagree on <{name}> inside <select>"
    if name == "table" and _is_between_cells(machine.stack):
        machine.formatting = formatting.closed(machine.formatting, "table")
    outside = not machine.formatting.has_formatting()
    machine.formatting = formatting.opened(machine.formatting, name, in_p=machine.in_p)
    if outside:
        machine.in_p = formatting.paragraph(name, is_open=machine.in_p, closing=False)
    machine.after_pre = name in NEWLINE_EATERS
    machine.state = TEXT_STATES.get(name, "data")
    if name in {"script", "style"} and not machine.markup_only:
        language = of_element(name, machine.fixed_attributes(), machine.tables, optional=machine.omittable_attributes)
        machine.inner, machine.no_language = (None, language) if isinstance(language, Refusal) else (language, None)
    _open(machine, name)


def _insertion_mode(machine: HtmlState, name: str) -> None:
    """Follow §13.2.6.4.1 "initial" to §13.2.6.4.6 "after head"."""
    if machine.stack.depth or machine.insertion_modes.isdisjoint(_BEFORE_BODY):
        return
    if name in HEAD or name in {"html", "head"}:
        _before_skeleton(machine, name)
    modes = set()
    for mode in machine.insertion_modes:
        early = mode in {"initial", "before head"}
        if name == "html":
            modes.add("before head" if early else mode)
        elif name == "head" or name in HEAD:
            modes.add("in head" if early else mode)
        else:
            modes.add("in body")
    machine.insertion_modes = frozenset(modes)


def _open(machine: HtmlState, name: str) -> None:
    """Keep the stack of open elements that matter."""
    stack = machine.stack
    if stack.top == "colgroup" and name not in {"col", "template"}:
        stack = stack[:-1]
    if name == "frameset":
        if machine.printed:
            # §13.2.6.4.7: a frameset takes the place of a body that has only white space in it.
            raise Unreadable("head-after-text", name=name)
        machine.ambiguity = "a page of frames has no text"
    elif name == "table":
        if _is_between_cells(stack):
            stack = base_of(stack).below
        stack += ("table",)
    elif name in TABLE_PARTS:
        stack = _table_part(machine, stack, name)
    elif name == "select":
        if "select" in stack:
            machine.ambiguity = "browsers disagree on <select> inside <select>"
        stack += ("select",)
    elif name in {"template", "noscript"}:
        stack += (name,)
    machine.stack = stack


def _is_between_cells(stack: Stack[str]) -> bool:
    """Return whether a table is open, and no cell of it: the start tag of another closes it (§13.2.6.4.9)."""
    return stack.top in TABLE_SECTIONS or stack.top in {"table", "tr"}


def base_of(stack: Stack[str]) -> Stack[str]:
    """Return the stack up to the innermost element that a table's parts cannot leave; empty without one."""
    while stack.depth and not (stack.top in _ROOTS or ":" in stack.top):
        stack = stack.below
    return stack


def _table_part(machine: HtmlState, stack: Stack[str], name: str) -> Stack[str]:
    """Follow §13.2.6.4.9 "in table" to .15 "in cell" for the start tag of a part of a table."""
    base = base_of(stack)
    if not base:
        return stack
    root = base.top
    if root in {"select", "noscript"} or ":" in root or (root == "template" and name == "col"):
        machine.ambiguity = f"browsers disagree on <{name}> inside <{root.rpartition(':')[2]}>"
        return stack
    if name == "col":
        return base.push("colgroup")
    if name in TABLE_SECTIONS | {"caption", "colgroup"}:
        return base.push(name)
    inner = [*islice(stack, len(stack) - len(base))]
    # A tbody or tr that the parser implies is left out: in all that matters here it is like its parent, and a loop
    # over rows right in a table ends where it began.
    if inner and inner[-1] in TABLE_SECTIONS:
        base = base.push(inner[-1])
    if name != "tr" and "tr" in inner:
        base = base.push("tr")
    return base.push(name)


def end_tag(machine: HtmlState, name: str) -> None:
    """Go over an end tag."""
    if machine.other_ways:
        _on_each_way(machine, name, end_tag)
        return
    if is_plain(machine):
        machine.in_p = formatting.paragraph(name, is_open=machine.in_p, closing=True)
        return
    if machine.xml:
        if machine.stack.ends_with(name):
            machine.stack, machine.scopes = machine.stack[:-1], machine.scopes[:-1]
        else:
            machine.ambiguity = f"</{name}> does not close what is open"
        return
    if _is_foreign(machine):
        _foreign_end_tag(machine, name)
        return
    if machine.stack.top.startswith("html:"):
        if machine.stack.top == f"html:{name}":
            machine.stack = machine.stack[:-1]
        else:
            machine.ambiguity = f"</{name}> does not close what is open inside <svg> or <math>"
        return
    _end_mode(machine, name)
    machine.formatting = formatting.closed(machine.formatting, name)
    machine.in_p = formatting.paragraph(name, is_open=machine.in_p, closing=True)
    stack = machine.stack
    if name not in _TABLE_OR_ROOT or name not in stack:
        return
    passed: list[str] = []
    while stack.top != name:
        passed.append(stack.top)
        stack = stack.below
    if "noscript" in passed or any(":" in entry for entry in passed):
        machine.ambiguity = f"</{name}> closes what was opened outside"
    if name in TABLE_PARTS | {"table"} and ("template" in passed or "table" in passed):
        return
    if name == "noscript" and passed:
        machine.ambiguity = "browsers with and without scripting disagree on where <noscript> ends"
    if name == "select" and passed:
        machine.ambiguity = "browsers disagree on what is allowed inside <select>"
    machine.stack = stack.below


def _end_mode(machine: HtmlState, name: str) -> None:
    if machine.stack.depth or machine.insertion_modes.isdisjoint(_BEFORE_BODY):
        return
    if name == "p" and "maybe body" in machine.insertion_modes:
        # Before the body an end tag without its start tag is ignored; in the body this one makes an element.
        words = {
            "place": "before this </p>, which closes nothing",
            "reason": "depending on the value it makes a paragraph",
        }
        raise Unreadable("place-refused", 0, remedy="Take the </p> away.", **words)
    if name == "head":
        machine.insertion_modes = frozenset(
            "after head" if mode in {"initial", "before head", "in head"} else mode for mode in machine.insertion_modes
        )
    elif name in {"body", "html", "br"}:
        _to_body(machine)


# --- foreign content (§13.2.6.5) -----------------------------------------------------------------------------


def _is_foreign(machine: HtmlState) -> bool:
    """Return whether the innermost open element is a foreign one."""
    return machine.stack.top.startswith(("svg:", "math:"))


def _is_html_integration(machine: HtmlState) -> bool:
    return machine.stack.top in INTEGRATION_POINTS


def allows_cdata(machine: HtmlState) -> bool:
    """Return whether ``<![CDATA[`` is a CDATA section here (§13.2.5.42)."""
    if machine.xml:
        return True
    if _is_foreign(machine) and _is_html_integration(machine):
        machine.ambiguity = "a CDATA section here is read in several ways"
    return _is_foreign(machine)


def _leave_foreign(machine: HtmlState) -> None:
    """Pop foreign elements up to an integration point or an HTML element."""
    while _is_foreign(machine) and not _is_html_integration(machine):
        machine.stack = machine.stack[:-1]


def _foreign_start_tag(machine: HtmlState, name: str) -> None:
    if name in {"font", "annotation-xml"}:
        machine.ambiguity = f"<{name}> inside <svg> or <math> is read in several ways"
    if not machine.self_closing:
        namespace = machine.stack[-1].partition(":")[0]
        machine.stack += (f"{'svg' if name == 'svg' else namespace}:{name}",)


def _foreign_end_tag(machine: HtmlState, name: str) -> None:
    if name in {"br", "p"}:
        machine.ambiguity = f"</{name}> inside <svg> or <math> ends it"
        return
    stack = machine.stack
    while stack and stack.top.startswith(("svg:", "math:")):
        if stack.top.partition(":")[2] == name:
            machine.stack = stack.below
            return
        if stack.top in INTEGRATION_POINTS:
            break
        stack = stack.below
    machine.ambiguity = f"</{name}> does not close what is open inside <svg> or <math>"
