"""Many pages by several workers: of threads, processes, or whatever an executor has."""

from __future__ import annotations

import pickle
from collections import deque
from itertools import islice

from untor.site.executors import batches_ahead

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Mapping, Sequence
    from concurrent.futures import Executor, Future

    from untor.engine.engine import Engine
    from untor.engine.template import Template

_MOST_IN_BATCH = 64

_known: tuple[bytes, Template] | None = None
"""In a worker: the template of the last batch, and what it was sent as."""


def render_many(
    engine: Engine, name: str, contexts: Iterable[Mapping[str, object]], executor: Executor
) -> Iterator[str]:
    """Yield the page of each context, in order, with a few batches of them ahead."""
    sent = _sent(engine, name, executor)
    most = batches_ahead(executor)
    waiting: deque[Future[list[str]]] = deque()
    try:
        for batch in _batches(contexts):
            waiting.append(executor.submit(_rendered, sent, batch))
            if len(waiting) >= most:
                yield from waiting.popleft().result()
        while waiting:
            yield from waiting.popleft().result()
    finally:
        for future in waiting:
            future.cancel()


def _sent(engine: Engine, name: str, executor: Executor) -> Template | bytes:
    """Return what a worker is given: for threads the template, else a copy that each of them unpacks once."""
    from concurrent.futures import ThreadPoolExecutor  # noqa: PLC0415  loaded by whoever has an executor

    template = engine.template(name)
    return template if isinstance(executor, ThreadPoolExecutor) else pickle.dumps(template)


def _batches(contexts: Iterable[Mapping[str, object]]) -> Iterator[list[Mapping[str, object]]]:
    """Yield contexts in batches: small ones first, so that all workers have something to do, then larger ones."""
    rest = iter(contexts)
    size = 1
    while batch := list(islice(rest, size)):
        yield batch
        size = min(size * 2, _MOST_IN_BATCH)


def _rendered(sent: Template | bytes, contexts: Sequence[Mapping[str, object]]) -> list[str]:
    template = _unpacked(sent) if isinstance(sent, bytes) else sent
    return [template.render(context) for context in contexts]


def _unpacked(sent: bytes) -> Template:
    global _known  # noqa: PLW0603  there is one in a worker
    if _known is None or _known[0] != sent:
        _known = sent, pickle.loads(sent)  # noqa: S301  what the process that made this one has sent
    return _known[1]
