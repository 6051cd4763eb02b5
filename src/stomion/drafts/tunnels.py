"""A tunnel out of what is said of it: by the topic of each statement, and by which of its words mean the own side and which the far one."""

from __future__ import annotations

from collections.abc import Sequence

from stomion.drafts import words as w
from stomion.drafts.algorithms import (
    combinations,
    is_algorithm,
    kind_of,
    kinds_in,
    lifetime_of,
    offered,
    phase_of,
    told_phase,
    values_of,
)
from stomion.drafts.said import Names
from stomion.drafts.sides import BETWEEN, share, side_of
from stomion.drafts.things import Thing
from stomion.drafts.told import Told
from stomion.drafts.topics import IKE_WORD, begins, probing, version
from stomion.drafts.unsaid import tell_unsaid
from stomion.model.site import SheetDpd, SheetProposal, SheetTunnel
from stomion.shapes.statement import Statement
from stomion.space.axis import is_address

Suites = dict[str, list[tuple[int | None, SheetProposal]]]
"""Named proposals: (phase, what it offers)."""

_PROOFS = frozenset(
    {
        "proof",
        "prove",
        "proves",
        "proven",
        "auth",
        "authentication",
        "authenticates",
        "authenticate",
        "authenticated",
        "method",
        "credential",
        "credentials",
    }
)
_FILLERS = frozenset({"is", "it", "its", "the", "use", "uses", "with", "has"})
_VERSIONED = frozenset({"ike", "ikev", "handshake", "exchange", "version", "keyexchange", "isakmp"})


def tunnel_of(thing: Thing, names: Names, suites: Suites) -> SheetTunnel | None:
    """None where it names neither an end nor a network."""
    told = Told()
    blocks: dict[int, Statement] = {}
    thing.body = _gathered(thing.body)
    for statement in thing.body:
        _block(statement, (), told, blocks)
    for above, statement in thing.leaves():
        if id(statement) not in blocks:
            for part in _parts(statement, names):
                _tell(told, above, part, names, suites)
    tell_unsaid(told, thing, names)
    v = told.values
    if not (v.get("local") or v.get("peer") or told.near or told.far):
        return None
    bound = v.get("interface", "")
    if any(address.partition("/")[0] == v.get("local") for address in names.cards.get(bound, ())):
        # What the tunnel's own packets leave by.
        bound = ""
    # A time to wait beside a number of tries is that of each try.
    interval = told.until if told.interval is None and told.retries is not None else told.interval
    dpd = SheetDpd(interval, told.retries) if interval is not None else None
    return SheetTunnel(
        thing.name or v.get("name", ""), v.get("peer_site", ""), v.get("local", ""), v.get("peer", ""), told.ike, v.get("mode", ""),
        v.get("initiate", ""), v.get("auth", ""), v.get("local_id", ""), v.get("remote_id", ""), "", "route" if bound else "",
        bound, "", "",
        tuple(dict.fromkeys(told.near)), tuple(dict.fromkeys(told.far)), dpd, "", told.phases[0].all(), told.phases[1].all(),
    )  # fmt: skip


def _gathered(body: list[Statement]) -> list[Statement]:
    """Lines that begin with the same words for an offer, and tell a kind of value each, as one block: `offer cipher A`, `offer group B`."""
    out: list[Statement] = []
    for one in body:
        kind = kind_of(one.words[1:2]) if len(one.words) > len(("offer", "cipher")) and not one.kids else ""
        held = out[-1] if out and kind and out[-1].words == one.words[:1] else None
        if not kind or not (w.bag(one.words[:1]) & w.OFFERS or phase_of(one.words[:1])):
            out.append(one)
        elif held is not None and kind not in {kind_of(kid.words) for kid in held.kids}:
            held.kids.append(one.after(1))
        else:
            out.append(Statement(one.words[:1], one.line, [one.after(1)]))
    return out


_TOPICS = (
    w.OWN
    | w.FAR
    | w.DPD
    | w.STARTS
    | w.IDENTITY
    | {"version", "ike", "proposal", "proposals", "mode", "gateway", "auth", "lifetime"}
)
SEVERAL = 3
"""Keys, each with a value behind it, from which on a line says several things."""


def _parts(statement: Statement, names: Names) -> list[Statement]:
    """A line of several keys and their values, one by one: `local A peer B version 2`, `from A to B using IKEv2`."""
    words = statement.words
    using = next((n for n, word in enumerate(words) if n and word.lower() == "using"), 0)
    if using and any(map(is_address, words[:using])):
        return [statement.until(using), statement.after(using + 1)]
    heads = [0]
    for n, word in enumerate(words[1:], 1):
        key = not w.is_value(word) and word not in names.networks and bool(w.bag((word,)) & _TOPICS)
        before = words[n - 1]
        if key and n + 1 < len(words) and (w.is_value(before) or not w.bag((before,)) & _TOPICS) and n - heads[-1] > 1:
            heads.append(n)
    if (
        len(heads) == len(("remote", "id"))
        and side_of(words[:1])
        and w.bag(words[heads[1] : heads[1] + 1]) & w.IDENTITY
    ):
        # `remote ADDRESS id NAME`: the name is that side's as well.
        return [statement.until(heads[1]), Statement((words[0], *words[heads[1] :]), statement.line)]
    if len(heads) < SEVERAL or kinds_in(words) > 1:
        return [statement]
    return [
        Statement(words[a:b], statement.line, quoted=frozenset(n - a for n in statement.quoted if a <= n < b))
        for a, b in zip(heads, [*heads[1:], len(words)], strict=True)
    ]


def _block(statement: Statement, above: tuple[str, ...], told: Told, taken: dict[int, Statement]) -> None:
    """Blocks that are one proposal of a phase each: their lines are of it alone."""
    if not statement.kids:
        return
    phase = phase_of([*above, *statement.words]) or told_phase(statement.kids)
    if (
        phase is not None
        and len(statement.kids) > 1
        and all(not kid.kids and kinds_in(kid.words) > 1 for kid in statement.kids)
    ):
        # A proposal a line.
        taken.update((id(kid), kid) for kid in statement.kids)
        for kid in statement.kids:
            told.phases[phase - 1].whole += combinations(kid.words, "IKE" if phase == 1 else "ESP")
        return
    plain = all(not any(k.kids for k in kid.kids) and (kid.words or not kid.kids) for kid in statement.kids)
    if phase is not None and plain and "encryption" in [kind_of(kid.words) for kid in statement.kids]:
        found = offered(statement.kids, "IKE" if phase == 1 else "ESP")
        if found is not None:
            taken.update((id(one), one) for kid in statement.kids for one in (kid, *kid.kids))
            told.phases[phase - 1].whole.append(found)
            return
    for kid in statement.kids:
        _block(kid, (*above, *statement.words), told, taken)


def _tell(told: Told, above: tuple[str, ...], statement: Statement, names: Names, suites: Suites) -> None:
    words = statement.words
    while len(words) > 1 and words[0].lower() in _FILLERS:
        words = words[1:]
    last = words[-1] if words else ""
    bag = w.bag((*above, *words[:4]))
    head = w.bag((*above, *words[:2]))
    if _proposals(told, above, words, suites):
        return
    if bag & w.DPD:
        probing(told, words)
    elif bag & {"identifies"} or (head & w.IDENTITY and not head & w.NETWORKS):
        share(told, above, words, "id", names)
    elif head & w.PSK or (head & _PROOFS and bag & (w.PSK | w.CERTIFICATE)) or head & w.CERTIFICATE:
        told.values.setdefault("auth", "certificate" if bag & w.CERTIFICATE and not bag & w.PSK else "psk")
    elif head & w.STARTS and not any(map(w.network_of, words)):
        begins(told, words)
    elif bag & {"aggressive"} and not {word.lower() for word in words[1:]} & w.DENIED:
        told.values.setdefault("mode", "aggressive")
        version(told, words)
    elif head & {"mode"} and last.lower() == "main":
        told.values.setdefault("mode", "main")
    elif (head & _VERSIONED or IKE_WORD.match(last)) and version(told, words):
        return
    elif _names_a_side(words):
        share(told, above, words, "id", names)
    elif head & w.SITE and (head & w.FAR) and len(words) > 1:
        told.values.setdefault("peer_site", words[-1])
    elif last in names.cards and _is_own_card(above, words):
        if len(names.cards[last]) == 1:
            told.values.setdefault("local", names.cards[last][0].partition("/")[0])
    elif (
        head & w.BOUND or head & {"interface", "port", "intf", "iface", "if", "nic", "adapter", "link"}
    ) and last in names.interfaces:
        told.values.setdefault("interface", last)
    elif _ends_alone(words, head, names):
        share(told, above, words, "end", names)
    elif any(sign in words for sign in BETWEEN) or head & (w.NETWORKS - {"range"}) or _has_networks(words, names):
        share(told, above, words, "networks", names)
    elif (
        head & w.ENDPOINT
        or "between" in head
        or (
            len(words) > 1
            and (side_of(words[:1]) or words[0].lower() in ("from", "to"))
            and (is_address(words[1]) or words[1].lower() in w.EVERYTHING)
        )
    ):
        share(told, above, words, "end", names)
    elif head & w.NAME and len(words) > 1 and not above:
        told.values.setdefault("name", " ".join(words[1:]))


def _is_own_card(above: tuple[str, ...], words: tuple[str, ...]) -> bool:
    """Does a line whose last word is an interface say that the tunnel ends there: `local-end wan`, `outer interface wan`?"""
    bag = w.bag((*above, *words[:-1]))
    bound = bag & w.BOUND and bag & {"address", "addr", "ip", "endpoint"}
    return bool(bag & _OUTER or bound) or (
        side_of((*above, *words[:1])) == "own" and bool(bag & w.ENDPOINT) and not bag & w.NETWORKS
    )


_OUTER = frozenset({"outer", "external", "outgoing", "egress", "public", "uplink", "underlay", "physical"})


def _names_a_side(words: Sequence[str]) -> bool:
    """`our name gw.example`: an address or a domain's name is what a side calls itself."""
    if len(words) != len(("our-name", "NAME")) or not w.bag(words[:1]) & w.NAME or not side_of(words[:1]):
        return False
    return is_address(words[1]) or "@" in words[1] or words[1].count(".") > 1


def _ends_alone(words: Sequence[str], head: frozenset[str], names: Names) -> bool:
    """Two addresses with an arrow between, and nothing that makes networks of them."""
    return (
        any(sign in words for sign in BETWEEN)
        and not head & (w.NETWORKS - {"range"})
        and not _has_networks(words, names)
        and sum(map(is_address, words)) <= len(("own", "far"))
        and any(map(is_address, words))
    )


def _has_networks(words: Sequence[str], names: Names) -> bool:
    return any("/" in w.network_of(word) or word in names.networks for word in words)


def _proposals(told: Told, above: tuple[str, ...], words: tuple[str, ...], suites: Suites) -> bool:
    keys = [word for word in words[:3] if word not in suites]
    phase = phase_of((*above, *keys))
    speaks = bool(w.bag((*above, *keys)) & w.OFFERS)
    named = [
        (of, found)
        for word in words[0 if above and len(words) == 1 else 1 :]
        for of, found in suites.get(word, ())
        if (speaks or not word.isdecimal()) and (phase in (None, of) or of is None)
    ]
    if named:
        for of, one in named:
            told.phases[(of or phase or 1) - 1].whole.append(one)
        return True
    kind = kind_of(words)
    if phase is None and kind == "group" and "pfs" in w.bag(words[:2]):
        phase = 2
    if phase is None:
        return False
    part, protocol = told.phases[phase - 1], "IKE" if phase == 1 else "ESP"
    offers = {p for word in words[:2] for p in w.parts_of(word)} & {
        "proposal",
        "transform",
        "suite",
        "ciphers",
        "offer",
        "offers",
    }
    if offers or kind in ("", "lifetime") or kinds_in(words) > 1 or is_algorithm(words[0]):
        found = combinations(words[1:] if len(words) > 1 and not is_algorithm(words[0]) else words, protocol)
        if found:
            part.whole += found
            return True
    if kind == "integrity" and w.bag(words[1:]) & (w.PSK | w.CERTIFICATE) and not values_of(kind, words[1:], protocol):
        # How the peer proves who it is.
        return False
    if kind == "lifetime":
        part.life = lifetime_of(words) or part.life
    elif kind:
        part.keyed[kind] = (*part.keyed.get(kind, ()), *values_of(kind, words[1:], protocol))
    return bool(kind)
