"""One rule of `nft -j list ruleset` to the common shape. What is not understood becomes a doubt of the rule, never skipped."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import nullcontext
from dataclasses import dataclass, field
from typing import Any

from stomion.ingest.stoppable import looking_at_calls, steps
from stomion.model.box import Box, Interval
from stomion.model.provenance import Provenance
from stomion.model.tables import Action, Chain, ChainKind, Hook, Names, Rule, State
from stomion.space.axis import interval_of
from stomion.space.boxes import DESTINATION, EVERY, PORT, PROTOCOL, SOURCE, SOURCE_PORT, V4, V6, Region, on_axis, region
from stomion.space.services import PORTS, PROTOCOLS

SetOf = Callable[[str], Any]
"""Elements of a named set, or None where there is none of that name."""
MAX_BOXES = 4_096
MANY = 20_000
"""Ranges of a rule from which on their algebra takes longer than anybody likes to wait who wants to stop."""
_ICMP = {
    "echo-reply": 0, "destination-unreachable": 3, "source-quench": 4, "redirect": 5, "echo-request": 8, "time-exceeded": 11,
    "parameter-problem": 12, "timestamp-request": 13, "timestamp-reply": 14,
}  # fmt: skip
_ICMP6 = {
    "destination-unreachable": 1, "packet-too-big": 2, "time-exceeded": 3, "parameter-problem": 4, "echo-request": 128, "echo-reply": 129,
    "nd-router-solicit": 133, "nd-router-advert": 134, "nd-neighbor-solicit": 135, "nd-neighbor-advert": 136,
}  # fmt: skip
_VERDICTS = {"accept": Action.ACCEPT, "drop": Action.DROP, "return": Action.RETURN, "continue": Action.CONTINUE}
_HARMLESS = frozenset(("counter", "log", "comment", "notrack", "last", "xt_comment"))
_PRIORITIES = {"raw": -300, "mangle": -150, "dstnat": -100, "filter": 0, "security": 50, "srcnat": 100}


def is_base(row: dict[str, Any]) -> bool:
    """Is it a base chain?"""
    return row.get("hook") in tuple(Hook)


def chain_of(row: dict[str, Any], name: str, rules: tuple[Rule, ...], where: Provenance) -> Chain:
    """A base chain. Mangle chains of type `route` decide like filters."""
    kind = str(row.get("type", "filter"))
    priority = row.get("prio", 0)
    number = priority if isinstance(priority, int) else _PRIORITIES.get(str(priority), 0)
    policy = Action.DROP if row.get("policy") == "drop" else Action.ACCEPT
    return Chain(
        name, rules, ChainKind.NAT if kind == "nat" else ChainKind.FILTER, Hook(str(row["hook"])), number, policy, where
    )


@dataclass(slots=True)
class _Reading:
    """What a rule's expressions have said so far."""

    space: Region = field(default_factory=lambda: Region((EVERY,)))
    names: dict[str, Names] = field(default_factory=dict)
    states: frozenset[State] = frozenset()
    marks: tuple[Interval, ...] = ()
    action: Action = Action.CONTINUE
    to: str = ""
    hits: int | None = None
    doubts: list[str] = field(default_factory=list)
    words: list[str] = field(default_factory=list)

    def narrow(self, boxes: list[Box], negated: bool) -> None:
        with looking_at_calls() if len(boxes) > MANY else nullcontext():
            wanted = region(boxes)
            self.space = self.space - wanted if negated else self.space & wanted


def rule_of(row: dict[str, Any], number: int, where: Provenance, set_of: SetOf) -> Rule:
    """A rule with everything it asks for."""
    reading = _Reading()
    for expression in row.get("expr", []) if isinstance(row.get("expr"), list) else []:
        if isinstance(expression, dict) and expression:
            _read(expression, reading, set_of)
        else:
            reading.doubts.append("an expression without a name")
    decides = reading.action != Action.CONTINUE
    with looking_at_calls() if len(reading.space.boxes) > MANY else nullcontext():
        space = reading.space.merged()
    if len(space.boxes) > MAX_BOXES:
        reading.doubts.append("more ranges than can be followed")
    comment = row.get("comment")
    return Rule(
        number, reading.action, space.boxes, where, str(comment)[:120] if comment else "",
        reading.names.get("iifname", Names()), reading.names.get("oifname", Names()),
        states=reading.states, marks=reading.marks, to=reading.to, hits=reading.hits,
        doubt="; ".join(reading.doubts) if decides else "", text=" ".join(reading.words)[:300],
    )  # fmt: skip


def _read(expression: dict[str, Any], reading: _Reading, set_of: SetOf) -> None:
    kind, body = next(iter(expression.items()))
    if kind == "match" and isinstance(body, dict):
        _match(body, reading, set_of)
    elif kind == "counter":
        packets = body.get("packets") if isinstance(body, dict) else None
        reading.hits = packets if isinstance(packets, int) else reading.hits
    elif kind in _VERDICTS:
        reading.action = _VERDICTS[kind]
    elif kind == "reject":
        reading.action = Action.REJECT
    elif kind in ("jump", "goto"):
        reading.action, reading.to = (
            (Action.JUMP if kind == "jump" else Action.GOTO),
            str(body.get("target", "")) if isinstance(body, dict) else "",
        )
    elif kind in ("masquerade", "snat", "dnat", "redirect"):
        _translate(kind, body, reading)
    elif kind == "mangle":
        _mangle(body, reading)
    elif kind not in _HARMLESS:
        reading.doubts.append(f"“{kind}” is not understood")
    if kind not in ("match", "counter"):
        reading.words.append(kind)


def _translate(kind: str, body: Any, reading: _Reading) -> None:
    to = body.get("addr") if isinstance(body, dict) else None
    if kind == "masquerade":
        reading.action = Action.MASQUERADE
    elif isinstance(to, str):
        reading.action, reading.to = (Action.SOURCE_TO if kind == "snat" else Action.DESTINATION_TO), to
    else:
        reading.action = Action.MASQUERADE if kind == "snat" else Action.CONTINUE
        reading.doubts.append(f"a {kind} to more than one address")


def _mangle(body: Any, reading: _Reading) -> None:
    key = (body or {}).get("key", {}) if isinstance(body, dict) else {}
    value = body.get("value") if isinstance(body, dict) else None
    if isinstance(key, dict) and "meta" in key and key["meta"].get("key") == "mark" and isinstance(value, int):
        reading.action, reading.to = Action.MARK, str(value)
    elif not (isinstance(key, dict) and ("ct" in key or "meta" in key or "tcp option" in key)):
        reading.doubts.append("a change of the packet that is not understood")


def _match(body: dict[str, Any], reading: _Reading, set_of: SetOf) -> None:
    left, right, op = body.get("left"), body.get("right"), str(body.get("op", "=="))
    if not isinstance(left, dict) or not left or op not in ("==", "!=", "in", "<", ">", "<=", ">="):
        reading.doubts.append("a comparison that is not understood")
        return
    kind, what = next(iter(left.items()))
    negated = op == "!="
    reading.words.append(f"{_words(what)} {'not ' if negated else ''}{_words(right)}")
    try:
        if kind == "meta":
            _meta(str(what.get("key")), right, negated, reading, set_of)
        elif kind == "ct":
            _conntrack(str(what.get("key")), right, negated, reading)
        elif kind == "payload":
            _payload(what, right, op, reading, set_of)
        else:
            reading.doubts.append(f"“{kind}” is not understood")
    except (ValueError, KeyError, TypeError, AttributeError, OverflowError):
        reading.doubts.append(f"a value of “{_words(what)}” is not understood")


def _words(value: Any) -> str:
    """A piece of an expression, short, for people."""
    if isinstance(value, dict):
        if "prefix" in value and isinstance(value["prefix"], dict):
            return f"{value['prefix'].get('addr')}/{value['prefix'].get('len')}"
        return " ".join(_words(v) for v in value.values())
    if isinstance(value, list):
        return ",".join(_words(v) for v in value[:8])
    return str(value)[:60]


def _elements(right: Any, set_of: SetOf) -> list[Any]:
    """The single values of a right side: a value, a list, an anonymous set, or a named one."""
    if isinstance(right, dict) and "set" in right:
        right = right["set"]
    if isinstance(right, str) and right.startswith("@"):
        named = set_of(right[1:])
        if named is None:
            raise KeyError(right)
        right = named
    out = []
    for item in steps(right if isinstance(right, list) else [right]):
        if isinstance(item, dict) and "elem" in item:
            item = item["elem"].get("val")
        out.append(item)
    return out


def _meta(key: str, right: Any, negated: bool, reading: _Reading, set_of: SetOf) -> None:
    if key in ("iifname", "oifname", "iif", "oif"):
        slot = {"iif": "iifname", "oif": "oifname"}.get(key, key)
        reading.names[slot] = Names(frozenset(str(e) for e in _elements(right, set_of)), negated)
    elif key in ("l4proto", "protocol", "nfproto"):
        _protocol(key, _elements(right, set_of), negated, reading)
    elif key == "mark":
        values = [int(e) for e in _elements(right, set_of)]
        whole = (0, 2**32 - 1)
        if negated:
            (value,) = values
            reading.marks = tuple(i for i in ((0, value - 1), (value + 1, whole[1])) if i[0] <= i[1])
        else:
            reading.marks = tuple((v, v) for v in values)
    else:
        reading.doubts.append(f"“meta {key}” is not understood")


def _protocol(key: str, values: list[Any], negated: bool, reading: _Reading) -> None:
    if key == "l4proto":
        reading.narrow([on_axis(PROTOCOL, _number(v)) for v in values], negated)
    else:
        halves = {"ip": V4, "ipv4": V4, "ip6": V6, "ipv6": V6}
        reading.narrow([halves[str(v)] for v in values], negated)


def _number(value: Any) -> Interval:
    if isinstance(value, dict) and "range" in value:
        low, high = value["range"]
        return _number(low)[0], _number(high)[1]
    number = PROTOCOLS.get(str(value).lower())
    number = number if number is not None else int(value)
    return number, number


def _conntrack(key: str, right: Any, negated: bool, reading: _Reading) -> None:
    if key == "state":
        named: Any = right.get("set") if isinstance(right, dict) else right
        states = {State(str(s)) for s in (named if isinstance(named, list) else [named])}
        reading.states = frozenset(set(State) - states if negated else states)
    elif key == "status" and "dnat" in str(right):
        reading.doubts.append("“ct status” is not understood")
    else:
        reading.doubts.append(f"“ct {key}” is not understood")


def _payload(what: dict[str, Any], right: Any, op: str, reading: _Reading, set_of: SetOf) -> None:
    protocol, name = str(what.get("protocol")), str(what.get("field"))
    negated = op == "!="
    values = _elements(right, set_of)
    if protocol in ("ip", "ip6") and name in ("saddr", "daddr"):
        axis = SOURCE if name == "saddr" else DESTINATION
        half = V4 if protocol == "ip" else V6
        reading.space = reading.space & Region((half,))
        reading.narrow([on_axis(axis, _address(v)) for v in steps(values)], negated)
    elif protocol in ("ip", "ip6") and name in ("protocol", "nexthdr"):
        reading.narrow([on_axis(PROTOCOL, _number(v)) for v in values], negated)
    elif protocol in ("tcp", "udp", "sctp", "th") and name in ("sport", "dport"):
        _ports(protocol, SOURCE_PORT if name == "sport" else PORT, values, op, reading)
    elif protocol in ("icmp", "icmpv6") and name == "type":
        table, number = (_ICMP, 1) if protocol == "icmp" else (_ICMP6, 58)
        types = [_type(v, table) for v in values]
        reading.space = reading.space & Region((on_axis(PROTOCOL, (number, number)),))
        reading.narrow([on_axis(PORT, t) for t in types], negated)
    else:
        reading.doubts.append(f"“{protocol} {name}” is not understood")


def _address(value: Any) -> Interval:
    if isinstance(value, dict) and "prefix" in value:
        return interval_of(f"{value['prefix']['addr']}/{value['prefix']['len']}")[0]
    if isinstance(value, dict) and "range" in value:
        low, high = value["range"]
        return interval_of(f"{low}-{high}")[0]
    return interval_of(str(value))[0]


def _ports(protocol: str, axis: int, values: list[Any], op: str, reading: _Reading) -> None:
    if protocol != "th":
        reading.space = reading.space & Region((on_axis(PROTOCOL, _number(protocol)),))
    if op in ("<", ">", "<=", ">="):
        (value,) = (_port(v)[0] for v in values)
        bounds = {"<": (0, value - 1), "<=": (0, value), ">": (value + 1, 65_535), ">=": (value, 65_535)}
        reading.narrow([on_axis(axis, bounds[op])], False)
    else:
        reading.narrow([on_axis(axis, _port(v)) for v in steps(values)], op == "!=")


def _port(value: Any) -> Interval:
    if isinstance(value, dict) and "range" in value:
        low, high = value["range"]
        return _port(low)[0], _port(high)[1]
    number = PORTS.get(str(value))
    number = number if number is not None else int(value)
    return number, number


def _type(value: Any, table: dict[str, int]) -> Interval:
    number = table.get(str(value))
    number = number if number is not None else int(value)
    return number, number
