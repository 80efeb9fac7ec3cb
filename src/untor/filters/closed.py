"""Types whose attributes lead out of the data into the program, for filters and dots alike."""

from __future__ import annotations

from types import (
    AsyncGeneratorType,
    BuiltinFunctionType,
    CodeType,
    CoroutineType,
    FrameType,
    FunctionType,
    GeneratorType,
    MethodType,
    ModuleType,
    TracebackType,
)

CLOSED = (
    ModuleType,
    FunctionType,
    BuiltinFunctionType,
    MethodType,
    FrameType,
    CodeType,
    GeneratorType,
    CoroutineType,
    AsyncGeneratorType,
    TracebackType,
)
