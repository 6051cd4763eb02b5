"""No pattern that lines and names are searched by may take time without end on a text made against it."""

from __future__ import annotations

import ast
import importlib
import pkgutil
import re
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

import stomion
from attacks import hard_text

_DEEP = 4


def _modules() -> list[str]:
    found = (m.name for m in pkgutil.walk_packages(stomion.__path__, "stomion."))
    return sorted(name for name in found if not name.endswith("__main__"))


def _patterns_in(value: Any, deep: int = _DEEP) -> Iterator[re.Pattern[str]]:
    if isinstance(value, re.Pattern):
        if isinstance(value.pattern, str):
            yield value
    elif isinstance(value, dict) and deep:
        for each in value.values():
            yield from _patterns_in(each, deep - 1)
    elif isinstance(value, list | tuple | set | frozenset) and deep:
        for each in value:
            yield from _patterns_in(each, deep - 1)
    elif deep and (fields := getattr(value, "__dataclass_fields__", None)) and not isinstance(value, type):
        for name in fields:
            yield from _patterns_in(getattr(value, name), deep - 1)


_ALL = {
    pattern: name
    for name in _modules()
    for value in list(vars(importlib.import_module(name)).values())
    for pattern in _patterns_in(value)
}


_CALLS = frozenset(f"re.{name}" for name in ("search", "match", "fullmatch", "sub", "split", "findall", "finditer"))


def _in_calls(path: Path) -> Iterator[str]:
    """Patterns that stand in a call, as in `re.search("…", text)`."""
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Call) and ast.unparse(node.func) in _CALLS and node.args:
            first = node.args[0]
            if isinstance(first, ast.Constant) and isinstance(first.value, str):
                yield first.value


_SOURCE = Path(stomion.__file__).parent
_CALLED = {text: str(path.relative_to(_SOURCE)) for path in sorted(_SOURCE.rglob("*.py")) for text in _in_calls(path)}
_BY_MODULE: dict[str, list[re.Pattern[str]]] = {}
for _pattern, _name in _ALL.items():
    _BY_MODULE.setdefault(_name, []).append(_pattern)


@pytest.mark.skipif(sys.platform == "win32", reason="a pattern is stopped by an alarm")
@pytest.mark.parametrize("name", sorted(_BY_MODULE))
def test_every_pattern_gets_through_texts_made_against_it(name: str) -> None:
    hard = {pattern.pattern[:200]: text for pattern in _BY_MODULE[name] if (text := hard_text(pattern, seed=1))}
    assert not hard


@pytest.mark.skipif(sys.platform == "win32", reason="a pattern is stopped by an alarm")
@pytest.mark.parametrize("name", sorted(set(_CALLED.values())))
def test_every_pattern_in_a_call_gets_through_them(name: str) -> None:
    shapes = [text for text, where in _CALLED.items() if where == name]
    hard = {shape: text for shape in shapes if (text := hard_text(re.compile(shape), seed=1))}
    assert not hard


@pytest.mark.parametrize(
    ("shape", "unit"), [(r"(?:[a-f]{1,4}:){2}(?::?[a-f]{1,4})*\[", "a:"), (r"x\S+ ?\S* ?\S* ?y", "x")]
)
def test_a_pattern_that_tries_without_end_is_found(shape: str, unit: str) -> None:
    found = hard_text(re.compile(shape), seed=1)
    assert found is not None and unit in found
