"""A site sheet read part by part: what is wrong is named with its line and left out, everything else counts."""

from __future__ import annotations

import difflib
import ipaddress
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any, get_type_hints

import msgspec

from stomion.errors import UnreadableInput
from stomion.ingest.gate import toml_value
from stomion.ingest.stoppable import steps
from stomion.model.site import (
    CHOICES,
    SheetFilter,
    SheetInterface,
    SheetMatch,
    SheetProposal,
    SheetRoute,
    SheetTranslation,
    SheetTunnel,
    SiteSheet,
)
from stomion.space.axis import interval_of
from stomion.space.services import service_of
from stomion.vocabulary.algorithms import is_known
from stomion.vocabulary.durations import seconds_of

MAX_PROBLEMS = 40
_TABLES: dict[str, type[msgspec.Struct]] = {
    "interface": SheetInterface,
    "tunnel": SheetTunnel,
    "route": SheetRoute,
    "translation": SheetTranslation,
    "filter": SheetFilter,
}
_PROPOSALS = ("ike_proposal", "esp_proposal")


@dataclass(slots=True)
class SheetReading:
    """The sheet as far as it could be read; `troubles` are (line or None, text)."""

    sheet: SiteSheet
    troubles: list[tuple[int | None, str]] = field(default_factory=list)


def read_sheet(text: str) -> SheetReading:
    """Raises UnreadableInput where the text is no TOML or names no site: then nothing can be told of it."""
    data = toml_value(text.encode("utf-8", "replace"))
    site = data.get("site")
    if not isinstance(site, str) or not site:
        raise UnreadableInput("no site is named", expected='site = "NAME"')
    return _Reader(data, line_map(text)).read(site)


class _Reader:
    def __init__(self, data: dict[str, Any], lines: dict[str, int]) -> None:
        self._data, self._lines = data, lines
        self._under: dict[str, list[str]] = {}
        for key in lines:
            table = ".".join(key.split(".", 2)[:2])
            if table != key:
                self._under.setdefault(table, []).append(key)
        self._troubles: list[tuple[int | None, str]] = []

    def read(self, site: str) -> SheetReading:
        first = self._data.get("translation_first", True)
        if not isinstance(first, bool):
            self._trouble("translation_first", f"translation_first = {first!r}; true or false expected")
            first = True
        known = {"site", "translation_first", *_TABLES}
        self._unknown("", self._data, known)
        parts: dict[str, tuple[Any, ...]] = {}
        kept_lines: dict[str, int] = {}
        for name, kind in _TABLES.items():
            found: list[Any] = []
            for path, row in self._rows(name, self._data.get(name, [])):
                made = self._part(path, name, row, kind)
                if made is not None:
                    kept_lines[f"{name}.{len(found)}"] = self._lines.get(path, 0)
                    if name == "tunnel":
                        kept_lines |= self._within(path, f"{name}.{len(found)}")
                    found.append(made)
            parts[name] = tuple(found)
        self._duplicates(parts["tunnel"])
        sheet = SiteSheet(site, first, lines=kept_lines, **parts)
        return SheetReading(sheet, self._said())

    def _within(self, path: str, name: str) -> dict[str, int]:
        """Lines of a table's keys and of the tables in it."""
        mine = self._under.get(path, ())
        return {f"{name}{key[len(path) :]}": self._lines[key] for key in mine}

    def _said(self) -> list[tuple[int | None, str]]:
        """The first troubles, and how many more there are."""
        more = len(self._troubles) - MAX_PROBLEMS
        return self._troubles[:MAX_PROBLEMS] + ([(None, f"{more:,} more such troubles")] if more > 0 else [])

    def _trouble(self, path: str, text: str) -> None:
        """A line of trouble, placed at the key or at the nearest table around it."""
        at = path
        while at and at not in self._lines:
            at = at.rpartition(".")[0]
        self._troubles.append((self._lines.get(at), text))

    def _rows(self, name: str, rows: Any) -> Iterator[tuple[str, dict[str, Any]]]:
        if not isinstance(rows, list):
            self._trouble(name, f"{name} is no list of tables; [[{name}]] expected")
            return
        for index, row in enumerate(steps(rows)):
            if isinstance(row, dict):
                yield f"{name}.{index}", row
            else:
                self._trouble(name, f"{name} holds {row!r}; [[{name}]] expected")

    def _part(self, path: str, name: str, row: dict[str, Any], kind: type[msgspec.Struct]) -> Any:
        """One table as its record; keys that are wrong are left out of it. None where a key it can't do without is missing."""
        hints = _hints(kind)
        self._unknown(path, row, set(kind.__struct_fields__))
        kept: dict[str, Any] = {}
        for key in kind.__struct_fields__:
            if key not in row:
                continue
            value = row[key]
            if key in _PROPOSALS:
                kept[key] = self._proposals(f"{path}.{key}", key, value)
                continue
            if key == "lifetime_s" and isinstance(value, str):
                value = self._lifetime(f"{path}.{key}", value)
                if value is None:
                    continue
            try:
                kept[key] = msgspec.convert(value, hints[key])
            except msgspec.ValidationError as error:
                self._trouble(f"{path}.{key}", f"{key}: {_plain(error)}")
                continue
            if not self._value(path, name, key, kept):
                del kept[key]
        if isinstance(kept.get("match"), SheetMatch):
            for trouble in match_troubles(kept["match"]):
                self._trouble(f"{path}.match", trouble)
        try:
            return kind(**kept)
        except TypeError:
            needed = [f for f, d in zip(kind.__struct_fields__, _defaults(kind), strict=True) if d and f not in kept]
            self._trouble(path, f"this [[{name}]] has no {' and no '.join(needed)}; it is left out")
            return None

    def _lifetime(self, path: str, text: str) -> int | None:
        found = seconds_of(text)
        if found is None:
            self._trouble(
                path, f"lifetime_s: {text!r} is no length of time; seconds expected, as 28800, or one like 8h"
            )
        return found

    def _value(self, path: str, name: str, key: str, kept: dict[str, Any]) -> bool:
        """Check one value by what its key means; False leaves it out."""
        value = kept[key]
        choices = CHOICES.get(f"{name}.{key}")
        if choices and value not in ("", None) and value not in choices and not isinstance(value, dict):
            words = ", ".join(repr(c) for c in choices)
            self._trouble(f"{path}.{key}", f"{key} = {value!r}; expected one of {words}")
            return False
        check = _CHECKS.get(key)
        if check is None:
            return True
        if isinstance(value, tuple):
            kept[key] = tuple(v for v in (self._checked(path, key, item, check) for item in value) if v is not None)
            return True
        kept[key] = self._checked(path, key, value, check)
        return kept[key] is not None

    def _checked(self, path: str, key: str, value: Any, check: Callable[[str], tuple[str | None, str]]) -> str | None:
        found, trouble = check(value)
        if trouble:
            self._trouble(f"{path}.{key}", f"{key}: {trouble}")
        return found

    def _proposals(self, path: str, key: str, rows: Any) -> tuple[SheetProposal, ...]:
        found = []
        for index, row in enumerate(rows if isinstance(rows, list) else []):
            made = self._part(f"{path}.{index}", key, row, SheetProposal) if isinstance(row, dict) else None
            if made is not None:
                self._algorithms(f"{path}.{index}", made, "IKE" if key == "ike_proposal" else "ESP")
                found.append(made)
        if not isinstance(rows, list):
            self._trouble(path, f"{key} is no list of tables; [[tunnel.{key}]] expected")
        return tuple(found)

    def _algorithms(self, path: str, made: SheetProposal, protocol: str) -> None:
        """Name every value that is no algorithm of its kind; it is kept as written and agrees with nothing else."""
        for kind in ("encryption", "integrity", "prf"):
            for value in getattr(made, kind):
                if not is_known(kind, value, protocol):
                    near = {"encryption": "AES-CBC-256", "integrity": "HMAC-SHA2-256-128", "prf": "HMAC-SHA2-256"}[kind]
                    self._trouble(
                        f"{path}.{kind}", f"{kind}: {value!r} is no known algorithm; expected one like {near}"
                    )
        for group in made.group:
            if not is_known("group", str(group)):
                self._trouble(
                    f"{path}.group", f"group: {group!r} is no known group; expected its number, as 14, or modp2048"
                )

    def _unknown(self, path: str, row: dict[str, Any], known: set[str]) -> None:
        """A key that is nearly a known one is a slip; any other may be somebody else's and is left alone."""
        for key in row.keys() - known:
            near = difflib.get_close_matches(key, known, 1, 0.75)
            if near:
                self._trouble(f"{path}.{key}".lstrip("."), f"{key} is no key of a sheet; is {near[0]} meant?")

    def _duplicates(self, tunnels: tuple[SheetTunnel, ...]) -> None:
        seen: set[str] = set()
        for index, tunnel in enumerate(tunnels):
            if tunnel.name in seen:
                self._trouble(f"tunnel.{index}", f"a second tunnel is called {tunnel.name!r}; names must differ")
            seen.add(tunnel.name)


@lru_cache(16)
def _hints(kind: type[msgspec.Struct]) -> dict[str, Any]:
    return get_type_hints(kind)


@lru_cache(16)
def _defaults(kind: type[msgspec.Struct]) -> list[bool]:
    """For every field whether it must be given."""
    return [f.required for f in msgspec.structs.fields(kind)]


def _plain(error: msgspec.ValidationError) -> str:
    text = re.sub(r" - at `\$[^`]*`", "", str(error))
    return re.sub(r"Expected `([^`]*)`, got `([^`]*)`", lambda m: f"{_kind(m[2])} found, {_kind(m[1])} expected", text)


_KINDS = {
    "str": "text", "int": "a whole number", "float": "a number", "bool": "true or false", "array": "a list", "object": "a table",
    "null": "nothing",
}  # fmt: skip


def _kind(name: str) -> str:
    """A type in plain words; that a value may be left out needs no saying."""
    return " or ".join(_KINDS.get(part, part) for part in name.split(" | ") if part != "null")


@lru_cache(16_384)
def _prefix(text: str) -> tuple[str | None, str]:
    """A range of a selector or a route: a prefix, an address, `low-high`, `any` or `default`; services may follow a blank."""
    body, _, rest = text.strip().partition(" ")
    try:
        interval_of(body)
    except ValueError as error:
        wanted = "LOW-HIGH of one family" if "-" in body and "/" not in body else "one like 10.64.0.0/21"
        why = f" ({error})" if "-" in body and ("backwards" in str(error) or "families" in str(error)) else ""
        return None, f"{text!r} is no range{why}; {wanted} expected"
    given = ipaddress.ip_interface(body) if "/" in body else None
    if given is not None and given.ip != given.network.network_address:
        return f"{given.network} {rest}".strip(), f"{body} has host bits set; read as {given.network}"
    return text, ""


def _service(text: str) -> tuple[str | None, str]:
    try:
        service_of(text)
    except ValueError as error:
        return text, f"{text!r} is no service ({error}); one like tcp/80, udp/500-520 or icmp expected"
    return text, ""


def match_troubles(match: SheetMatch) -> Iterator[str]:
    """What in a rule's match is no range or no service. The rule is kept: what it does to packets is open then."""
    for key in ("source", "destination", "service"):
        value = getattr(match, key)
        for text in (value,) if isinstance(value, str) else value:
            if text:
                _, trouble = _service(text) if key == "service" else _prefix(text)
                if trouble:
                    yield f"{key}: {trouble}"


def _address(text: str) -> tuple[str | None, str]:
    if not text or text in ("any", "dynamic") or _is_address(text):
        return text, ""
    if re.fullmatch(r"[\w-]+(\.[\w-]+)+", text) and not text.replace(".", "").isdecimal():
        return text, ""
    return None, f"{text!r} is no address; one like 203.0.113.10, a host name, or any expected"


def _with_length(text: str) -> tuple[str | None, str]:
    try:
        ipaddress.ip_interface(text)
    except ValueError:
        return None, f"{text!r} is no address with its prefix length; one like 203.0.113.10/29 expected"
    return text, "" if "/" in text else f"{text} has no prefix length; read as a single address"


def _is_address(text: str) -> bool:
    try:
        ipaddress.ip_address(text.strip())
    except ValueError:
        return False
    return True


_CHECKS: dict[str, Callable[[str], tuple[str | None, str]]] = {
    "local_ts": _prefix,
    "remote_ts": _prefix,
    "destination": _prefix,
    "addresses": _with_length,
    "local": _address,
    "peer": _address,
    "via": _address,
}

_TABLE = re.compile(r"\s*\[(\[)?\s*([\w.-]+)\s*\]?\]")
_KEY = re.compile(r"\s*([\w-]+)\s*=")


def line_map(text: str) -> dict[str, int]:
    """Lines by path (`tunnel.1.local_ts`), for the plain shape that sheets have; what it misses has no line of its own."""
    found: dict[str, int] = {}
    counts: dict[str, int] = {}
    here = ""
    for number, line in enumerate(steps(text.split("\n")), 1):
        table = _TABLE.match(line) if "[" in line[:40] else None
        if table and "=" not in line.split("#")[0]:
            here = _place(table[2], bool(table[1]), counts)
            found.setdefault(here, number)
            continue
        key = _KEY.match(line)
        if key:
            found.setdefault(f"{here}.{key[1]}".lstrip("."), number)
    return found


def _place(name: str, repeated: bool, counts: dict[str, int]) -> str:
    """The path of a table header; `[[tunnel.ike_proposal]]` belongs to the tunnel that was begun last."""
    parts = name.split(".")
    path = ""
    for depth, part in enumerate(parts):
        path = f"{path}.{part}".lstrip(".")
        last = depth == len(parts) - 1
        if last and repeated:
            counts[path] = counts.get(path, -1) + 1
        if path in counts:
            path = f"{path}.{counts[path]}"
    return path
