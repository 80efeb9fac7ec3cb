"""Prints the tree of a template as source again."""

from __future__ import annotations

from untor.language import tree


def nodes(body: list[tree.Node]) -> str:
    return "".join(map(node, body))


def node(given: tree.Node) -> str:
    match given:
        case tree.Text():
            return given.text
        case tree.Print():
            return f"{{= {expression(given.expression)} =}}"
        case tree.Let():
            return f"<! let {given.name} = {expression(given.expression)} !>"
        case tree.If():
            words = ["if", *["elif"] * len(given.branches)]
            parts = [
                f"<! {word} {expression(branch.test)} !>" if branch.test else "<! else !>"
                for word, branch in zip(words, given.branches, strict=False)
            ]
            bodies = [nodes(branch.body) for branch in given.branches]
            return "".join(part + body for part, body in zip(parts, bodies, strict=True)) + "<! end !>"
        case tree.For():
            condition = f" if {expression(given.condition)}" if given.condition else ""
            position = f" as {given.position}" if given.position else ""
            head = f"<! for {', '.join(given.names)} in {expression(given.iterable)}{condition}{position} !>"
            empty = "" if given.empty is None else "<! else !>" + nodes(given.empty)
            between = "" if given.between is None else "<! between !>" + nodes(given.between)
            return head + nodes(given.body) + between + empty + "<! end !>"
        case tree.Include():
            called = f'"{given.target.file}"' if not given.target.part else given.target.part
            source = f' from "{given.target.file}"' if given.target.part and given.target.file else ""
            values = ", ".join(f"{each.name}={expression(each.value)}" for each in given.arguments)
            end = nodes(given.body) + "<! end !>" if given.word == "use" else ""
            return f"<! {given.word} {called}{source} {values} !>{end}"
        case tree.Into():
            return f"<! into {given.name} !>{nodes(given.body)}<! end !>"
        case tree.Slot():
            end = "" if given.fallback is None else nodes(given.fallback) + "<! end !>"
            return f"<! slot {given.name} {'' if given.fallback is None else 'else'} !>{end}"
        case tree.Fallback():
            return "<! fallback !>"
    raise TypeError(given)


def expression(given: tree.Expression) -> str:
    inner = expression
    match given:
        case tree.Constant():
            if not isinstance(given.value, str):
                return repr(given.value)
            escaped = "".join(
                f"\\U{ord(char):08X}" if char in '"\\' or not char.isprintable() else char for char in given.value
            )
            return f'"{escaped}"'
        case tree.Name():
            return given.name
        case tree.ListDisplay():
            return f"[{', '.join(map(inner, given.items))}]"
        case tree.DictDisplay():
            return f"{{{', '.join(f'{inner(key)}: {inner(value)}' for key, value in given.items)}}}"
        case tree.Attribute():
            return f"({inner(given.owner)}).{given.name}"
        case tree.Item():
            return f"({inner(given.owner)})[{inner(given.index)}]"
        case tree.Slice():
            return ":".join(inner(part) if part else "" for part in (given.first, given.last, given.step))
        case tree.Maybe():
            return f"({inner(given.value)})?"
        case tree.Otherwise():
            return f"({inner(given.value)} ?? {inner(given.fallback)})"
        case tree.Unary():
            return f"({given.operator} {inner(given.operand)})"
        case tree.Binary():
            return f"({inner(given.left)} {given.operator} {inner(given.right)})"
        case tree.Comparisons():
            return f"({inner(given.first)}{''.join(f' {op} {inner(part)}' for op, part in given.rest)})"
        case tree.Conditional():
            return f"({inner(given.then)} if {inner(given.test)} else {inner(given.otherwise)})"
        case tree.Filter() | tree.Call():
            values = ", ".join(
                [*map(inner, given.arguments), *(f"{key}={inner(value)}" for key, value in given.named.items())]
            )
            if isinstance(given, tree.Call):
                return f"({inner(given.function)})({values})"
            return f"({inner(given.value)} | {given.name}({values}))"
    raise TypeError(given)
