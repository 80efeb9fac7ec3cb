"""The table of the checker's rules, with a template that breaks each and the fixed one.

A rule is what Untor renders all the same, but what is wrong or risky in a page. Unlike a problem it can be turned off.
"""

from __future__ import annotations

from untor.diagnostics.codes import Code

_CALLS = {"calls": [{"name": "Sea Holly", "site": "https://holly.example/"}]}


def _rule(message: str, hint: str, failing: str = "", fixed: str = "", *, severity: str = "warning") -> Code:
    return Code("", message, hint, failing, fixed, _CALLS, severity)


OFF = frozenset({"csp-handler", "csp-script", "csp-style"})
"""Rules that are asked for by name. An engine with a policy asks for those about attributes."""

ABOUT_CHECKING = frozenset({"trusted-budget", "accept-unknown", "accept-reason", "accept-unused"})
"""Rules about the use of the checker itself, which cannot be turned off."""

RULES: dict[str, Code] = {
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
    # --- the page in a browser -------------------------------------------------------------------------------------
    "charset-missing": _rule(
        "This page {trouble}.",
        'Make <meta charset="utf-8"> the first element in the head.',
        "<!doctype html><html><head><title>Port Ellery</title></head><body></body></html>",
        '<!doctype html><html><head><meta charset="utf-8"><title>Port Ellery</title></head><body></body></html>',
    ),
    "opener": _rule(
        "The page opened here can navigate this one: {trouble}.",
        'Add rel="noopener".',
        '<! for call in calls !><a href="{= call.site =}" target="_blank">{= call.name =}</a><! end !>',
        '<! for call in calls !><a href="{= call.site =}" target="_blank" rel="noopener">{= call.name =}</a><! end !>',
    ),
    "resource-open": _rule(
        'Only a TrustedScriptURL can be the URL here; any other becomes about:invalid (attribute "{name}").',
        "Fix its origin in the template, list it in Engine(resource_origins=…), or accept this with the reason why it "
        "is always trusted.",
        '<! for call in calls !><iframe src="{= call.site =}" title="{= call.name =}"></iframe><! end !>',
        '<! for call in calls !><a href="{= call.site =}">{= call.name =}</a><! end !>',
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
