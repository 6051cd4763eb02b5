"""Both ends' parameters row by row: what they must have alike, each value with where it comes from and how good it is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

from stomion.crypto.agreement import Way, ways, would_choose
from stomion.crypto.proposals import shared
from stomion.crypto.strength import Level, level_of
from stomion.model.proposal import Proposal
from stomion.model.provenance import Provenance
from stomion.model.site import SheetTunnel
from stomion.space.ranges import common, covers, same
from stomion.tunnel import settings
from stomion.tunnel.picture import End, Picture
from stomion.tunnel.settings import Basis, Layer, Proposals, known

SAME, PARTLY, DIFFERS, OPEN, FREE = "same", "partly", "differs", "open", "free"
"""How two values stand: alike; with something in common; not alike though they must be; one unknown; need not be alike."""


@dataclass(frozen=True, slots=True)
class Value:
    """One end's value. `key` is the sheet's key that holds it, `level` the weakest algorithm's standing."""

    text: str = ""
    origin: Basis = Basis.NONE
    where: Provenance | None = None
    key: str = ""
    level: Level | None = None
    against: str = ""
    """What was seen of this end and can't be, were the declared value in force."""
    against_where: Provenance | None = None


@dataclass(frozen=True, slots=True)
class Pair:
    """One row: the same parameter at both ends. `says` explains a verdict that does not explain itself."""

    group: str
    name: str
    left: Value
    right: Value
    verdict: str
    says: str = ""


@dataclass(frozen=True, slots=True)
class Agreement:
    """What both could agree on for a layer: the choice, or the ways to one."""

    layer: str
    chosen: Proposal | None
    ways: tuple[Way, ...] = ()
    known: bool = True


@dataclass(frozen=True, slots=True)
class Comparison:
    """All rows in working order, and both layers' agreements; `asker` is 0 where the left end starts."""

    pairs: tuple[Pair, ...]
    agreements: tuple[Agreement, ...]
    asker: int = 0
    differing: tuple[Pair, ...] = field(default=())


def compare(picture: Picture) -> Comparison:
    """Both ends of a tunnel, value by value."""
    left, right = picture.ends
    pairs = [*_addresses(left, right), *_ike(picture), *_child(picture), *_selectors(picture), *_upkeep(left, right)]
    asker = asking_side(picture)
    agreements = tuple(_agreement(picture, layer, asker) for layer in Layer)
    kept = tuple(p for p in pairs if p.left.text or p.right.text)
    return Comparison(kept, agreements, asker, tuple(p for p in kept if p.verdict == DIFFERS))


def asking_side(picture: Picture) -> int:
    """Which end starts: by the packets, the logs, else the sheets."""
    if picture.last is not None:
        return 1 if picture.last.initiator in picture.right.addresses else 0
    if bool(picture.right.story.initiated) != bool(picture.left.story.initiated):
        return 1 if picture.right.story.initiated else 0
    starts = [e.sheet is not None and e.sheet.initiate in ("always", "on-traffic") for e in picture.ends]
    return 1 if starts == [False, True] else 0


def _declared(end: End, key: str, show: Callable[[SheetTunnel], str]) -> Value:
    text = show(end.sheet) if end.sheet is not None else ""
    place = end.sheet_place if text else None
    return Value(text, Basis.DECLARED if text else Basis.NONE, place, key)


def _plain(key: str) -> Callable[[SheetTunnel], str]:
    def show(sheet: SheetTunnel) -> str:
        value = getattr(sheet, key)
        return ", ".join(value) if isinstance(value, tuple) else str(value) if value not in (None, "") else ""

    return show


def _alike(left: Value, right: Value) -> str:
    if not left.text or not right.text:
        return OPEN
    return SAME if left.text == right.text or "any" in (left.text.strip("%"), right.text.strip("%")) else DIFFERS


def _mirrored(group: str, what: str, left: End, right: End, own: str, peers: str) -> list[Pair]:
    """Two rows: of either end the value it has itself, and the one its peer expects of it."""
    rows = []
    for owner, first, second in ((left, own, peers), (right, peers, own)):
        a, b = _declared(left, first, _plain(first)), _declared(right, second, _plain(second))
        rows.append(Pair(group, f"{owner.title}'s {what}", a, b, _alike(a, b)))
    return rows


def _addresses(left: End, right: End) -> list[Pair]:
    rows = _mirrored("addresses", "address", left, right, "local", "peer")
    return [*rows, *_mirrored("identity", "identity", left, right, "local_id", "remote_id")]


def _same_key(group: str, name: str, key: str, left: End, right: End, must: bool = True) -> Pair:
    a, b = _declared(left, key, _plain(key)), _declared(right, key, _plain(key))
    verdict = _alike(a, b)
    return Pair(group, name, a, b, verdict if must or verdict in (SAME, OPEN) else FREE)


def _ike(picture: Picture) -> list[Pair]:
    left, right = picture.ends
    version = Pair("IKE SA", "version", *_versions(picture), OPEN)
    version = Pair("IKE SA", "version", version.left, version.right, _alike(version.left, version.right))
    rows = [version]
    if "1" in (version.left.text, version.right.text):
        rows.append(_same_key("IKE SA", "phase 1 mode", "mode", left, right))
    rows.append(_same_key("IKE SA", "authentication", "auth", left, right))
    rows.append(_same_key("IKE SA", "key mark", "key_mark", left, right))
    return [*rows, *_layer(picture, "IKE SA", Layer.IKE, "ike_proposal")]


def _versions(picture: Picture) -> tuple[Value, Value]:
    told = [settings.version(picture, end) for end in picture.ends]
    left, right = (Value(str(t.value) if t.value else "", t.source, t.where, "ike") for t in told)
    return left, right


_KINDS = (("encryption", "encryption"), ("integrity", "integrity"), ("prf", "PRF"), ("group", "group"))


def _layer(picture: Picture, group: str, layer: Layer, key: str) -> list[Pair]:
    left, right = picture.ends
    told = [known(picture, e, layer) for e in (left, right)]
    rows = []
    for kind, name in _KINDS:
        if layer is Layer.CHILD and kind == "prf":
            continue
        a, b = (_algorithms(t, kind, f"{key}.{kind}") for t in told)
        title = "PFS group" if layer is Layer.CHILD and kind == "group" else name
        rows.append(Pair(group, title, a, b, *_shared(told[0], told[1], kind, layer)))
    lives = [_lifetime(t, f"{key}.lifetime_s") for t in told]
    verdict = OPEN if not all(v.text for v in lives) else SAME if lives[0].text == lives[1].text else FREE
    rows.append(
        Pair(group, "lifetime", lives[0], lives[1], verdict, "the shorter one renews first" if verdict == FREE else "")
    )
    return rows


def _algorithms(told: Proposals, kind: str, key: str) -> Value:
    values = tuple(dict.fromkeys(v for p in told.value for v in p.values(kind)))
    if not values:
        # A sheet that names no group says something: there is none. Any other source just did not mention one.
        said = kind == "group" and told.source is Basis.DECLARED
        return Value("none", told.source, told.where, key) if said else Value(key=key)
    worst = max((level_of(kind, v)[0] for v in values), key=tuple(Level).index)
    found = Value(", ".join(values), told.source, told.where, key, worst)
    if told.against is None:
        return found
    seen = tuple(dict.fromkeys(v for p in told.against.value for v in p.values(kind)))
    if not seen or shared(values, seen):
        return found
    return replace(found, against=", ".join(seen), against_where=told.against.where)


def _shared(a: Proposals, b: Proposals, kind: str, layer: Layer) -> tuple[str, str]:
    """(verdict, remark) for one kind of algorithm."""
    ours, theirs = ({v for p in t.value for v in p.values(kind)} for t in (a, b))
    if (
        kind == "group"
        and layer is Layer.CHILD
        and a.source is b.source is Basis.DECLARED
        and bool(ours) != bool(theirs)
    ):
        return DIFFERS, "one end asks for PFS at a rekey, the other does not"
    if not ours and not theirs:
        return (SAME if kind == "group" and a.value and b.value else OPEN), ""
    if not ours or not theirs:
        return (FREE if a.value and b.value else OPEN), ""
    if ours == theirs:
        return SAME, ""
    return (PARTLY, "") if shared(ours, theirs) else (DIFFERS, "")


def _lifetime(told: Proposals, key: str) -> Value:
    found = min((p.lifetime_s for p in told.value if p.lifetime_s), default=None)
    return Value(
        f"{found:,} s" if found else "", told.source if found else Basis.NONE, told.where if found else None, key
    )


def _child(picture: Picture) -> list[Pair]:
    left, right = picture.ends
    rows = _layer(picture, "Child SA", Layer.CHILD, "esp_proposal")
    return [*rows, _same_key("Child SA", "encapsulation", "encapsulation", left, right)]


def _selectors(picture: Picture) -> list[Pair]:
    left, right = picture.ends
    rows = []
    sides = [_ranges(picture, e) for e in (left, right)]
    for index, owner in enumerate((left, right)):
        a, b = sides[0][index], sides[1][1 - index]
        verdict, says = _ranges_verdict(a.text, b.text)
        rows.append(Pair("selectors", f"{owner.title}'s side", a, b, verdict, says))
    return rows


def _ranges(picture: Picture, end: End) -> tuple[Value, Value]:
    """(own side, peer's side) as this end wants them."""
    told = settings.ranges(picture, end)
    near, remote = ", ".join(told.value.near), ", ".join(told.value.remote)
    return Value(near, told.source, told.where, "local_ts"), Value(remote, told.source, told.where, "remote_ts")


def _ranges_verdict(a: str, b: str) -> tuple[str, str]:
    ours, theirs = a.split(", "), b.split(", ")
    if not a or not b:
        return OPEN, ""
    if same(ours, theirs):
        return SAME, ""
    if covers(ours, theirs) or covers(theirs, ours):
        return DIFFERS, "one is wider"
    return DIFFERS, "they overlap in part" if common(ours, theirs) else "they share nothing"


def _upkeep(left: End, right: End) -> list[Pair]:
    rows = [
        _same_key("upkeep", name, key, left, right, must=False) for name, key in (("style", "style"), ("role", "role"))
    ]
    start = _same_key("upkeep", "starts", "initiate", left, right, must=False)
    if start.left.text == start.right.text == "never":
        start = Pair("upkeep", "starts", start.left, start.right, DIFFERS, "nobody starts")
    detection = [_declared(e, "dpd", _detection) for e in (left, right)]
    verdict = OPEN if not all(v.text for v in detection) else SAME if detection[0].text == detection[1].text else FREE
    nat = _same_key("upkeep", "NAT traversal", "nat_traversal", left, right, must=False)
    if {nat.left.text, nat.right.text} == {"always", "never"}:
        nat = Pair("upkeep", "NAT traversal", nat.left, nat.right, DIFFERS, "one end insists, the other refuses")
    return [start, Pair("upkeep", "peer detection", detection[0], detection[1], verdict), nat, *rows]


def _detection(sheet: SheetTunnel) -> str:
    dpd = sheet.dpd
    if dpd is None or dpd.interval_s is None:
        return ""
    return f"every {dpd.interval_s:g} s" + (f", {dpd.retries} tries" if dpd.retries is not None else "")


def _agreement(picture: Picture, layer: Layer, asker: int) -> Agreement:
    ends = picture.ends if asker == 0 else picture.ends[::-1]
    offers, accepts = (known(picture, e, layer).value for e in ends)
    if not offers or not accepts:
        return Agreement(layer, None, (), False)
    version = picture.version or next((e.sheet.ike for e in ends if e.sheet and e.sheet.ike), 2) or 2
    chosen = would_choose(offers, accepts, version)
    found = ways(offers, accepts, version) if chosen is None else []
    return Agreement(layer, chosen, tuple(Way(w.side ^ asker, w.adds, w.level) for w in found))
