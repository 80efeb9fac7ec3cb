"""Code of a template: a program where the extension is there, else Python."""

from __future__ import annotations

from untor.escape.accelerated import IS_BUILT

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.analysis.ir import TemplateIR
    from untor.runtime.compiled import Code


def build(plan: TemplateIR, way: str = "render", *, lenient: bool = False) -> Code:
    """Compile a plan without problems; ``lenient`` prints missing values as nothing."""
    if IS_BUILT:
        from untor.codegen.program import build_program  # noqa: PLC0415  only one of the two is loaded

        return build_program(plan, lenient=lenient)
    from untor.codegen.python import build_python  # noqa: PLC0415

    return build_python(plan, way, lenient=lenient)
