"""A JavaScript engine in a process of its own, which can be stopped whatever it does."""

from __future__ import annotations

import json
import subprocess
import sys
from typing import Any

WORKER = r"""
import json, sys
from py_mini_racer import MiniRacer

ENGINE = '''
const shown = v => typeof v === "bigint" ? `${v}n` : typeof v === "function" ? "function" : v === undefined ? "undefined"
  : typeof v === "number" && !Number.isFinite(v) ? `${v}` : v instanceof RegExp ? `/${v.source}/` : Object.is(v, -0) ? "-0"
  : Array.isArray(v) ? v.map(shown) : v && typeof v === "object"
  ? [Object.getPrototypeOf(v) === Object.prototype ? "object" : "other"].concat(Object.entries(v).map(([k, w]) => [k, shown(w)])) : v;
const traced = code => {
  const log = [];
  const rec = (...values) => { if (log.length < 200) log.push(values.map(shown)); return values[0] };
  try { new Function("rec", code)(rec) } catch (error) { log.push(error.name) }
  return JSON.stringify(log);
};
'''
engine = MiniRacer()
engine.eval(ENGINE)
for line in sys.stdin:
    codes = json.loads(line)
    try:
        results = [json.loads(engine.eval("traced(" + json.dumps(code) + ")", timeout_sec=2)) for code in codes]
    except Exception as error:
        results = [[type(error).__name__]] * len(codes)
        engine = MiniRacer()
        engine.eval(ENGINE)
    print(json.dumps(results), flush=True)
"""


class JavaScript:
    """Runs scripts and tells what they did."""

    def __init__(self) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-c", WORKER], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )

    def traces(self, *codes: str) -> list[list[Any]]:
        """Return, for each script, the values that it gave to ``rec``, and the name of the exception that ended it."""
        assert self.process.stdin is not None
        assert self.process.stdout is not None
        self.process.stdin.write(json.dumps(codes) + "\n")
        self.process.stdin.flush()
        traces = json.loads(self.process.stdout.readline())
        assert isinstance(traces, list)
        return traces

    def close(self) -> None:
        """Stop the engine."""
        self.process.kill()
        self.process.wait()
        for pipe in (self.process.stdin, self.process.stdout):
            if pipe is not None:
                pipe.close()
