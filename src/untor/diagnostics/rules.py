"""The table of the checker's rules, with a template that breaks each and the fixed one.

A page that breaks a rule is rendered, but is wrong or risky. Unlike a problem, a rule can be turned off.
"""

from __future__ import annotations

from datetime import date

from untor.diagnostics.codes import Code

_CALLS = {"calls": [{"name": "Sea Holly", "site": "https://holly.example/"}]}


_TYPED = {"day": date(2031, 5, 17), "name": "Sea Holly", "tons": 9, "calls": ["Sea Holly"]}


_HEAD = '<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Port Ellery</title></head>'


def _rule(message: str, hint: str, failing: str = "", fixed: str = "", *, severity: str = "warning") -> Code:
    return Code("", message, hint, failing, fixed, _CALLS, severity)


def _typed(message: str, hint: str, failing: str = "", fixed: str = "") -> Code:
    return Code("", message, hint, failing, fixed, _TYPED, "warning")


OFF = frozenset({"csp-handler", "csp-script", "csp-style", "message-text", "opener"})
"""Rules that are off by default. An engine with a policy turns on those about attributes."""

ABOUT_CHECKING = frozenset({"trusted-budget", "accept-unknown", "accept-reason", "accept-unused"})
"""Rules about the use of the checker itself, which cannot be turned off."""

RULES: dict[str, Code] = {
    # --- translations --------------------------------------------------------------------------------------------
    "message-missing": _rule(
        "This message is not translated into {locale}.",
        "Extract the messages, merge them into the catalogue, and translate this one.",
    ),
    "message-fuzzy": _rule(
        'This translation is marked "fuzzy", so the message is printed as it is written.',
        "Correct it, and remove the mark.",
    ),
    "message-unused": _rule("No template contains this message.", "Remove it. {near}"),
    "message-value": _rule(
        "This translation {trouble}; the message is printed as it is written.",
        "Write the values of the message, each as it is named there.",
        severity="error",
    ),
    "message-element": _rule(
        "This translation {trouble}; the message is printed as it is written.",
        "Write each element of the message once, nested as there.",
        severity="error",
    ),
    "message-plural": _rule(
        "This translation {trouble}; the message is printed as it is written.",
        "It needs as many forms as the header Plural-Forms says.",
        severity="error",
    ),
    "message-refused": _rule(
        "This translation cannot be printed where the message is: {trouble}",
        "The message is printed as it is written.",
        severity="error",
    ),
    "message-joined": _rule(
        "This message is joined with another one: translators see two halves, and cannot change their order.",
        "Write one message with the value in it: <! say !>{{= who =}} reported {{= ship =}}.<! end !>",
        "<p><! say !>Moored by<! end !> {= calls[0].name =} <! say !>at noon.<! end !></p>",
        "<p><! say !>Moored by {= calls[0].name =} at noon.<! end !></p>",
    ),
    "message-text": _rule(
        'This text is in no message: "{words}".',
        "Put it into <! say !> … <! end !>, or accept this rule where text is not translated.",
        "<p>Arrivals</p>",
        "<p><! say !>Arrivals<! end !></p>",
    ),
    "lang-fixed": _rule(
        'The language of this page is fixed as "{lang}", and it can be printed in {count} languages.',
        'Write <html lang="{{= locale.code =}}" dir="{{= locale.direction =}}">.',
    ),
    "catalogue-unreadable": _rule(
        "This catalogue cannot be read: {trouble}", "Its translations are not used. Correct the file.", severity="error"
    ),
    # --- elements ------------------------------------------------------------------------------------------------
    "element-unclosed": _rule(
        "This <{name}> is never closed{where}.",
        "Write </{name}> where it ends.{more}",
        "<main><section><h1>Arrivals</h1></main>",
        "<main><section><h1>Arrivals</h1></section></main>",
    ),
    "element-wrong-end": _rule(
        "This </{end}> does not match <{name}> from line {line}, which is still open.",
        "Write </{name}> here, or close the <{name}> before it.",
        "<div><nav><a href='/'>Home</a></div></div>",
        "<div><nav><a href='/'>Home</a></nav></div>",
    ),
    "element-extra-end": _rule(
        "This </{name}> closes nothing.",
        "Remove it, or look for the <{name}> that it should close.{more}",
        "<ul><li>Berth 4</li></ul></div>",
        "<ul><li>Berth 4</li></ul>",
    ),
    "element-in-branch": _rule(
        '{tag} only in some branches of the "if" on line {line}{trouble}.',
        "Open and close an element in the same branch, or in two steps with the same condition.",
        '<! if calls !><div class="board"><! end !><p>Calls</p></div>',
        '<div<! if calls !> class="board"<! end !>><p>Calls</p></div>',
    ),
    "element-in-loop": _rule(
        '{tag} {trouble} in each round of the "for" on line {line}.',
        "Open and close an element in the same round.",
        "<! for call in calls !><section><p>{= call.name =}</p><! end !>",
        "<! for call in calls !><section><p>{= call.name =}</p></section><! end !>",
    ),
    "element-nested": _rule(
        "This <{name}> is inside the <{outer}> from {line}: {effect}.",
        "Close the <{outer}> before it, or write the elements beside each other.",
        '<a href="/calls"><p>Calls</p><a href="/berths">Berths</a></a>',
        '<a href="/calls"><p>Calls</p></a><a href="/berths">Berths</a>',
    ),
    "table-content": _rule(
        "{what} is directly in <{name}>: {effect}.",
        "Put content into cells, <td>…</td>, and cells into rows, <tr>…</tr>.",
        "<table><div>Berth 4</div><tr><td>Sea Holly</td></tr></table>",
        "<div>Berth 4</div><table><tr><td>Sea Holly</td></tr></table>",
    ),
    "head-content": _rule(
        "{what} is not allowed in the head: browsers end the head here, and begin the body.",
        "Put it into the body.",
        f"{_HEAD.removesuffix('</head>')}<h1>Arrivals</h1></head><body></body></html>",
        f"{_HEAD}<body><h1>Arrivals</h1></body></html>",
    ),
    "skeleton-repeated": _rule(
        "This page has a second <{name}>, and the first is on {line}: browsers ignore the tag.",
        "Remove it, or put the layout's and the page's together: <! slot !> is where the page's content comes.",
        f"{_HEAD}<body><p>Calls</p></body><body></body></html>",
        f"{_HEAD}<body><p>Calls</p></body></html>",
    ),
    "tag-unclosed": _rule(
        "This <{name}> tag never ends: the page ends in it, and browsers drop it.",
        "Write > where the tag ends.",
        '<p>Berth 4</p><p class="quay"',
        '<p>Berth 4</p><p class="quay"></p>',
    ),
    "attribute-unclosed": _rule(
        'The value of the attribute "{name}" is never closed: it goes on over the tags after it.',
        "Write the closing quote where the value ends.",
        '<p title="Berth 4>quay</p><p class="wide">basin</p>',
        '<p title="Berth 4">quay</p><p class="wide">basin</p>',
    ),
    "attribute-quote": _rule(
        'Part of this <{tag}> is read as an attribute named "{name}": a quote is missing before it, or one too many.',
        "Put each value between two quotes; write &quot; for a quote in it.",
        '<p title="the "old" quay">Berth 4</p>',
        '<p title="the &quot;old&quot; quay">Berth 4</p>',
    ),
    "attribute-repeated": _rule(
        'This <{tag}> has the attribute "{name}" twice: browsers read the first one alone.',
        "Remove one, or join the values.",
        '<p class="quay" class="wide">Berth 4</p>',
        '<p class="quay wide">Berth 4</p>',
    ),
    # --- names ---------------------------------------------------------------------------------------------------
    "template-hidden": _rule(
        "{path} is never used: {winner} hides it, which has the same name and comes first.",
        "Rename one of them, or give the folders a prefix.",
    ),
    "value-unmarked": _rule(
        '"{text}" is plain text here, but "{name}" is a variable.',
        "Put it in a print mark: {{= {text} =}}",
        "<! for call in calls !><p>call.name</p><! end !>",
        "<! for call in calls !><p>{= call.name =}</p><! end !>",
    ),
    "mark-unknown": _rule(
        '"{text}" is plain text here: marks are written {{= … =}} and <! … !>.',
        "Write the value in a print mark, {{= name =}}, and a step as <! for call in calls !>.",
        "<p>{{ calls }}</p><p>{= calls | len =}</p>",
        "<p>{= calls | len =}</p>",
    ),
    "let-accumulates": _rule(
        'This "let" does not add up: each round of the loop begins with the "{name}" from before the loop.',
        'Write calls | sum("tons") for a sum, calls | len for a count, row.number for a counter.',
        "<! let n = 0 !><! for call in calls !><! let n = n + 1 !><p>{= n =}. {= call.name =}</p><! end !>",
        "<! for call in calls as row !><p>{= row.number =}. {= call.name =}</p><! end !>",
    ),
    "layout-argument": _rule(
        'The layout "{target}" has no use for "{name}".',
        "{near}",
    ),
    "layout-input": _rule(
        'The layout "{target}" requires "{name}", which neither this step nor the takes step gives.',
        "Pass it: {shown}",
    ),
    "input-unread": _rule(
        '"{name}" is declared but never used.',
        "Remove it from {owner}, or use it.",
        "<! takes calls: list, day !><p>{= calls | len =} calls</p>",
        "<! takes calls: list !><p>{= calls | len =} calls</p>",
    ),
    "input-undeclared": _rule(
        '"{name}" is used here but not declared in {owner}.',
        "{near}",
        "<! takes calls: list !><p>{= calls | len =} calls on {= day? =}</p>",
        "<! takes calls: list, day = None !><p>{= calls | len =} calls on {= day? =}</p>",
    ),
    "input-not-given": _rule(
        '"{target}" uses {names}, which is not passed to it here.',
        "An included template sees only what is passed: {shown}",
    ),
    # --- types -----------------------------------------------------------------------------------------------------
    "type-attribute": _typed(
        '{owner} has no attribute "{name}".',
        "{near}",
        "<! takes day: date !><p>{= day.yaer =}</p>",
        "<! takes day: date !><p>{= day.year =}</p>",
    ),
    "type-none": _typed(
        '"{name}" {trouble}.',
        '{ways} for a default, or test it with "if".',
        "<! takes day: date | None !><p>{= day.year =}</p>",
        "<! takes day: date | None !><p>{= day?.year =}</p>",
    ),
    "type-unresolved": _typed(
        "Some annotations of {owner} can't be evaluated: {trouble}.",
        "Import the module of that name before creating the engine; until then, these attributes are not checked.",
    ),
    "type-loop": _typed(
        '"{name}" has the type {kind}, which cannot be looped over.',
        "Loop over a list, a mapping, or range(N) for numbers.",
        "<! takes tons: int !><! for number in tons !><p>{= number =}</p><! end !>",
        "<! takes tons: int !><! for number in range(tons) !><p>{= number =}</p><! end !>",
    ),
    "type-call": _typed(
        '"{name}" has the type {kind}, which cannot be called.',
        "Remove the brackets, or pass a function to the page.",
        "<! takes name: str !><p>{= name() =}</p>",
        "<! takes name: str !><p>{= name =}</p>",
    ),
    "type-function": _typed(
        '"{name}" is a method, and templates only read data.',
        "Call it in the view, make it a property, or use a filter.",
        "<! takes name: str !><p>{= name.upper =}</p>",
        "<! takes name: str !><p>{= name | upper =}</p>",
    ),
    "type-always": _typed(
        '"{name}" has the type {kind}, which is always true.',
        "Remove the test, or test something that may be missing or empty.",
        "<! takes day: date !><! if day !><p>{= day | date =}</p><! end !>",
        "<! takes day: date | None !><! if day !><p>{= day | date =}</p><! end !>",
    ),
    "type-argument": _typed(
        'The parameter "{name}" of {owner} accepts {wanted}, but this is {kind}.',
        "Pass another value, or change the declared type.",
        '<! part berth(tons: int) !><p>{= tons =}</p><! end !><! include berth tons="9" !>',
        "<! part berth(tons: int) !><p>{= tons =}</p><! end !><! include berth tons=9 !>",
    ),
    "type-filter": _typed(
        'The filter "{filter}" accepts {wanted}, but this is {kind}.',
        "Use another filter, or pass another value to the page.",
        "<! takes name: str !><p>{= name | number =}</p>",
        "<! takes tons: int !><p>{= tons | number =}</p>",
    ),
    "type-comparison": _typed(
        "This comparison is {result}: {operation}.",
        "Compare values of the same type.",
        '<! takes tons: int !><! if tons == "9" !><p>{= tons =}</p><! end !>',
        "<! takes tons: int !><! if tons == 9 !><p>{= tons =}</p><! end !>",
    ),
    "type-operation": _typed(
        "These types do not support this operator: {operation}.",
        "Use values of the same type; to print strings and numbers together, use separate print marks.",
        '<! takes tons: int !><p>{= tons + " t" =}</p>',
        "<! takes tons: int !><p>{= tons =} t</p>",
    ),
    "type-print": _typed(
        "A value of the type {kind} has no text to print here ({where}).",
        'Print one of its attributes or items; for a list, use | join(", ").',
        "<! takes calls: list[str] !><p>{= calls =}</p>",
        "<! takes calls: list[str] !><p>{= calls | join =}</p>",
    ),
    # --- the page in a browser -------------------------------------------------------------------------------------
    "charset-wrong": _rule(
        "This page {trouble}.",
        'Make <meta charset="utf-8"> the first element in the head, or leave it out: answers say the encoding.',
        f"{_HEAD.replace('utf-8', 'iso-8859-1')}<body></body></html>",
        f"{_HEAD}<body></body></html>",
    ),
    "opener": _rule(
        "The page opened here can navigate this one: {trouble}.",
        'Add rel="noopener".',
        '<! for call in calls !><a href="{= call.site =}" target="_blank">{= call.name =}</a><! end !>',
        '<! for call in calls !><a href="{= call.site =}" target="_blank" rel="noopener">{= call.name =}</a><! end !>',
    ),
    "resource-open": _rule(
        "Only a TrustedScriptURL can be the URL in {where}; any other value becomes about:invalid.",
        "Fix its origin in the template, list it in Engine(resource_origins=…), or accept this with the reason why it "
        "is always trusted.",
        '<! for call in calls !><iframe src="{= call.site =}" title="{= call.name =}"></iframe><! end !>',
        '<! for call in calls !><a href="{= call.site =}">{= call.name =}</a><! end !>',
    ),
    "trusted-only": _rule(
        "Only a {kind} can be printed here in the {where}; any other value is an error when the page is rendered.",
        "{remedy}",
        "<! for call in calls !><style>{= call.name =} { color: red }</style><! end !>",
        "<! for call in calls !><style>.{= call.name =} { color: red }</style><! end !>",
    ),
    "csp-picture": _rule(
        "The page's policy blocks this picture: it is a data: URL, and img-src allows {sources} alone.",
        'Allow it: Policy(directives={{"img-src": "\'self\' data:"}}).',
    ),
    "csp-handler": _rule(
        'A strict Content-Security-Policy forbids the handler "{name}".',
        "Add the listener in a script file, with addEventListener.",
        "<button onclick=\"track('Sea Holly')\">Track</button>",
        '<button data-track="Sea Holly">Track</button>',
    ),
    "csp-script": _rule(
        "A strict Content-Security-Policy forbids this script: it has {trouble}.",
        "Put it in a file, or give it a nonce: Engine(policy=Policy()) puts one on each script of the templates.",
        "<script>track('Sea Holly')</script>",
        '<script src="/track.js"></script>',
    ),
    "csp-style": _rule(
        "A strict Content-Security-Policy forbids this style attribute.",
        "Write a rule into a <style> element, or a class into a style sheet; values are as safe there.",
        '<! for call in calls !><p style="color: {= call.name =}">{= call.name =}</p><! end !>',
        "<! for call in calls !><style>p { color: {= call.name =} }</style><p>{= call.name =}</p><! end !>",
    ),
    "id-repeated": _rule(
        'The id "{id}" is {trouble}.',
        "Give each element an id of its own, such as one with a value in it; use a class for several.",
        '<! for call in calls !><p id="call">{= call.name =}</p><! end !>',
        '<! for call in calls !><p class="call">{= call.name =}</p><! end !>',
    ),
    "reference-missing": _rule(
        'The attribute "{name}" of this <{tag}> names the id "{id}", {trouble}.',
        "Write the id of an element, or remove the attribute.",
        f'{_HEAD}<body><label for="berth">Berth</label><input id="bert"></body></html>',
        f'{_HEAD}<body><label for="berth">Berth</label><input id="berth"></body></html>',
    ),
    "picture-alt": _rule(
        "This <{tag}> has no alt text for those who cannot see it.",
        'Say what it shows: alt="High water at 6"; write alt="" where it is decoration.',
        '<img src="/quay.jpg">',
        '<img src="/quay.jpg" alt="The quay at low water">',
    ),
    "lang-missing": _rule(
        "This page does not say which language it is in.",
        'Write it on the html element: <html lang="en">.',
        '<!doctype html><html><head><meta charset="utf-8"><title>Port Ellery</title></head></html>',
        f"{_HEAD}</html>",
    ),
    "title-missing": _rule(
        "This page has no <title>.",
        "Write one into the head: <title>…</title>.",
        '<!doctype html><html lang="en"><head><meta charset="utf-8"></head></html>',
        f"{_HEAD}</html>",
    ),
    # --- trust and acceptance ----------------------------------------------------------------------------------------
    "trusted-budget": _rule(
        "{count} values are printed as trusted; the limit is {most}.",
        "Let the value be escaped, or raise the limit once the reason has been reviewed.",
        severity="error",
    ),
    "accept-unknown": _rule(
        'Unknown rule "{word}".',
        "{near}",
        "<! note accept element-unclosd: the footer closes it !><p>Quay</p>",
        "<! note the quay's name comes from the plan !><p>Quay</p>",
    ),
    "accept-reason": _rule(
        'This accepts "{word}" without a reason.',
        "Write the reason after a colon: <! note accept {word}: … !>",
        "<main><! note accept element-unclosed !><section></main>",
        "<main><! note accept element-unclosed: the old layout's script wants it so !><section></main>",
    ),
    "accept-unused": _rule(
        'This accepts "{word}", but nothing here breaks that rule.',
        "Remove it. It applies to its own line, or, alone on a line, to the next one.",
        "<! note accept opener: our own site !><p>Quay</p>",
        "<p>Quay</p>",
    ),
}
