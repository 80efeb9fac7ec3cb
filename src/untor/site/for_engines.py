"""``Engine.build``: a site from Python."""

from __future__ import annotations

import pickle
from pathlib import Path

from untor.site.batches import Workers
from untor.site.builder import Builder, BuildOptions
from untor.site.fingerprints import code_in
from untor.site.result import BuildFailed
from untor.site.settings import BuildSettingError

TYPE_CHECKING = False
if TYPE_CHECKING:
    import os
    from collections.abc import Callable, Iterable, Mapping
    from concurrent.futures import Executor
    from typing import Any

    from untor.site.result import BuildResult


def build(
    engine: Any,
    folder: str | os.PathLike[str],
    pages: Mapping[str, object] | Iterable[tuple[str, str, Mapping[str, object]]],
    executor: Executor | None,
    *,
    url: str,
    whole: bool,
    check: bool,
    progress: Callable[[int, int], None] | None,
) -> BuildResult:
    """Build a site; see ``Engine.build``."""
    if executor is not None and not hasattr(executor, "submit"):
        raise BuildSettingError(f"executor must be a concurrent.futures.Executor, not {executor!r}")
    options = BuildOptions(
        url=url,
        code=code_in(Path.cwd()),
        workers=Workers(executor, sent_to(executor, engine), whole),
        checks=check,
        progress=progress,
    )
    result = Builder(engine, folder, options).build(pages)
    if result.failed:
        raise BuildFailed(result)
    return result


def sent_to(executor: Executor | None, engine: Any) -> bytes | None:
    """Return an engine as the workers of an executor get it; ``None`` for threads, which share it.

    Raises ``BuildSettingError`` for an engine that cannot be sent.
    """
    from concurrent.futures import ThreadPoolExecutor  # noqa: PLC0415  loaded by whoever has an executor

    if executor is None or isinstance(executor, ThreadPoolExecutor):
        return None
    try:
        return pickle.dumps(engine)
    except Exception as error:
        raise BuildSettingError(f"the engine cannot be sent to other processes: {error}") from error
