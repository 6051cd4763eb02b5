"""Packets of one IKE SA put in order: what was asked, answered, sent again, refused, and how far it got."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from enum import IntEnum

from stomion.model.packet import Datagram
from stomion.model.proposal import Proposal
from stomion.model.provenance import Provenance
from stomion.wire.ike import Message, decode
from stomion.wire.ike.bodies import FragmentV1, KeV2, Sealed, SealedFragment
from stomion.wire.ike.keys import IkeKeys

MAX_STEPS = 2_000
"""Messages of one negotiation kept as steps; a real one has a few dozen, a stuck one some hundreds."""


class Reach(IntEnum):
    """How far a negotiation got on the wire. What is encrypted shows by its exchange and size only."""

    ASKED = 0
    INIT_REFUSED = 1
    INIT_ANSWERED = 2
    AUTH_ASKED = 3
    AUTH_REFUSED = 4
    AUTH_ANSWERED = 5
    CHILD_REFUSED = 6
    CHILD_ASKED = 7
    CARRIES = 8


REACH_WORDS = {
    Reach.ASKED: "asked, nothing answered",
    Reach.INIT_REFUSED: "refused in its first answer",
    Reach.INIT_ANSWERED: "keys exchanged, not authenticated",
    Reach.AUTH_ASKED: "authentication asked, nothing answered",
    Reach.AUTH_REFUSED: "refused at authentication",
    Reach.AUTH_ANSWERED: "authenticated",
    Reach.CHILD_REFUSED: "IKE SA up, child refused",
    Reach.CHILD_ASKED: "IKE SA up, child asked",
    Reach.CARRIES: "up, ESP flows",
}


@dataclass(slots=True)
class Step:
    """One message on the ladder. `seen` are all captures that hold it, the sender's first where known.

    `again` is how many times the same bytes were sent before; `fate` is `arrived`, `lost` or empty where unknown.
    """

    at: float
    src: str
    dst: str
    sport: int
    dport: int
    size: int
    message: Message
    raw: bytes
    seen: list[tuple[float, Provenance]]
    again: int = 0
    fate: str = ""
    cut: bool = False
    opened: Message | None = None

    @property
    def where(self) -> Provenance:
        return self.seen[0][1]

    @property
    def view(self) -> Message:
        """The message as far as it can be read: opened with the user's keys, else as it was sent."""
        return self.opened or self.message

    @property
    def exchange(self) -> str:
        return self.message.header.exchange_name if self.message.header else "unreadable"

    @property
    def notifies(self) -> tuple[str, ...]:
        return tuple(n.name for n in self.view.notifies)

    @property
    def fragment(self) -> str:
        """`2 of 3` for a fragment, else empty."""
        for payload in self.message.payloads:
            if isinstance(payload.body, SealedFragment):
                return f"{payload.body.number} of {payload.body.total}"
            if isinstance(payload.body, FragmentV1):
                return f"{payload.body.number}"
        return ""


@dataclass(slots=True)
class Negotiation:
    """All messages of one IKE SA, told apart by the initiator's SPI and the two addresses."""

    spi_i: bytes
    initiator: str
    responder: str
    version: int
    steps: list[Step] = field(default_factory=list)
    spi_r: bytes = b""
    mode: str = ""
    offered: tuple[Proposal, ...] = ()
    chosen: tuple[Proposal, ...] = ()
    offered_group: int | None = None
    wanted_group: int | None = None
    refusal: str = ""
    refused_by: str = ""
    refusal_step: int = -1
    reach: Reach = Reach.ASKED
    dropped: int = 0
    """Messages beyond MAX_STEPS: they are counted and not looked at."""

    @property
    def start(self) -> float:
        return self.steps[0].at if self.steps else 0.0

    @property
    def end(self) -> float:
        return self.steps[-1].at if self.steps else 0.0

    @property
    def retransmissions(self) -> int:
        return sum(1 for s in self.steps if s.again)


def assemble(datagrams: Iterable[Datagram], keys: Sequence[IkeKeys] = ()) -> list[Negotiation]:
    """Negotiations in the order of their first messages; the same message seen in several captures is one step.

    With the keys of an SA its encrypted messages are opened (`Step.opened`).
    """
    found: dict[tuple[bytes, frozenset[str]], Negotiation] = {}
    counts: dict[tuple[bytes, str, str], int] = {}
    steps: dict[tuple[bytes, str, int], Step] = {}
    for item in sorted(datagrams, key=lambda d: (d.at, d.where.packet or 0)):
        count_key = (item.payload, item.src, item.where.file)
        nth = counts[count_key] = counts.get(count_key, -1) + 1
        known = steps.get((item.payload, item.src, nth))
        if known is not None and all(p.file != item.where.file for _, p in known.seen):
            _seen_again(known, item)
            continue
        message = decode(item.payload)
        if message.header is None:
            continue
        step = Step(
            item.at, item.src, item.dst, item.sport, item.dport, len(item.payload), message, item.payload,
            [(item.at, item.where)], nth, cut=item.more_fragments,
        )  # fmt: skip
        steps[(item.payload, item.src, nth)] = step
        negotiation = _negotiation_of(step, found)
        if len(negotiation.steps) < MAX_STEPS:
            negotiation.steps.append(step)
        else:
            negotiation.dropped += 1
    result = sorted(found.values(), key=lambda n: n.start)
    for negotiation in result:
        if keys:
            _open(negotiation, keys)
        _read_through(negotiation)
    return result


def _open(n: Negotiation, keys: Sequence[IkeKeys]) -> None:
    """Open what the keys of this SA open; pieces of a fragmented message are joined at its last piece."""
    from stomion.wire.ike.opening import V1Opener, join_fragments, open_v2

    mine = [k for k in keys if k.spi_i.lower() == n.spi_i.hex() and k.ike == n.version]
    for key in mine:
        v1 = V1Opener(key)
        pieces: dict[tuple[int, bool], dict[int, Message]] = {}
        for step in n.steps:
            if step.again:
                earlier = next((s for s in n.steps if s.raw == step.raw and not s.again), None)
                step.opened = earlier.opened if earlier else None
                continue
            opened = open_v2(step.raw, step.message, key) if n.version == 2 else v1.open(step.raw, step.message)
            last = step.message.payloads[-1].body if step.message.payloads else None
            if opened is None or not isinstance(last, SealedFragment):
                step.opened = opened
                continue
            assert opened.header is not None
            found = pieces.setdefault((opened.header.message_id, opened.header.is_response), {})
            found[last.number] = opened
            if len(found) == last.total:
                step.opened = join_fragments([found[i] for i in sorted(found)])


def _seen_again(step: Step, item: Datagram) -> None:
    """The second place a message was seen; packets fresh from their sender have the higher hop limit."""
    step.seen.append((item.at, item.where))
    step.fate = "arrived"


def _negotiation_of(step: Step, found: dict[tuple[bytes, frozenset[str]], Negotiation]) -> Negotiation:
    header = step.message.header
    assert header is not None
    key = (header.spi_i, frozenset((step.src, step.dst)))
    negotiation = found.get(key)
    if negotiation is None:
        # Ports move from 500 to 4500 and addresses may be translated on the way, so the SPI leads and addresses follow.
        fresh = not any(header.spi_r) or header.from_initiator
        initiator, responder = (step.src, step.dst) if fresh or header.major == 1 else (step.dst, step.src)
        negotiation = found[key] = Negotiation(header.spi_i, initiator, responder, header.major)
    if any(header.spi_r) and not negotiation.spi_r:
        negotiation.spi_r = header.spi_r
    return negotiation


def _read_through(n: Negotiation) -> None:
    """Fill in what the messages tell, in their order."""
    for index, step in enumerate(n.steps):
        if n.version == 2:
            _read_v2(n, step, index)
        else:
            _read_v1(n, step, index)


def _read_v2(n: Negotiation, step: Step, index: int) -> None:
    header = step.message.header
    assert header is not None
    response = header.is_response
    if header.exchange == 34:
        _read_init(n, step, index, response)
    elif header.exchange == 35:
        if not response:
            n.reach = max(n.reach, Reach.AUTH_ASKED)
        elif step.opened is not None:
            _read_opened_answer(n, step, index)
        elif not step.fragment or step.fragment.startswith("1 "):
            lone = _lone_notify(step)
            _set_refusal(n, step, index, "") if lone else None
            n.reach = Reach.AUTH_REFUSED if lone else max(n.reach, Reach.AUTH_ANSWERED)
    elif header.exchange == 36 and not response:
        n.reach = max(n.reach, Reach.CHILD_ASKED)
    elif header.exchange == 36 and step.opened is not None:
        _read_opened_answer(n, step, index)


_HARMLESS = frozenset({"TEMPORARY_FAILURE", "CHILD_SA_NOT_FOUND", "NO_ADDITIONAL_SAS"})


def _read_opened_answer(n: Negotiation, step: Step, index: int) -> None:
    """An answer to IKE_AUTH or CREATE_CHILD_SA whose inside is known."""
    error = next((x.name for x in step.view.notifies if x.is_error and x.name not in _HARMLESS), "")
    if not error:
        n.refusal, n.refused_by, n.refusal_step = "", "", -1
        n.reach = max(n.reach, Reach.AUTH_ANSWERED)
        return
    _set_refusal(n, step, index, error)
    n.reach = Reach.AUTH_REFUSED if error == "AUTHENTICATION_FAILED" else Reach.CHILD_REFUSED


def _read_init(n: Negotiation, step: Step, index: int, response: bool) -> None:
    sa = step.message.sa
    if not response:
        if sa is not None:
            n.offered = sa.model()
        ke = next((p.body for p in step.message.payloads if isinstance(p.body, KeV2)), None)
        n.offered_group = ke.group if ke else n.offered_group
        return
    for notify in step.message.notifies:
        if notify.wanted_group is not None:
            n.wanted_group = notify.wanted_group
            n.refusal, n.refused_by, n.refusal_step = notify.name, step.src, index
        elif notify.is_error:
            _set_refusal(n, step, index, notify.name)
            n.reach = Reach.INIT_REFUSED
    if sa is not None:
        n.chosen = sa.model()
        n.refusal, n.refused_by, n.refusal_step = "", "", -1
        n.reach = max(n.reach, Reach.INIT_ANSWERED)


def _set_refusal(n: Negotiation, step: Step, index: int, name: str) -> None:
    n.refusal, n.refused_by, n.refusal_step = name, step.src, index


LONE_NOTIFY_BYTES = 80
"""An encrypted payload up to this size has room for one notify without data and nothing else: IV 16, one AES block of
notify (8) and padding, ICV up to 32, with slack for a second block (RFC 7296 3.14)."""


def _lone_notify(step: Step) -> bool:
    sealed = [p.body for p in step.message.payloads if isinstance(p.body, Sealed)]
    return len(sealed) == 1 and len(sealed[0].data) <= LONE_NOTIFY_BYTES


def _read_v1(n: Negotiation, step: Step, index: int) -> None:
    header = step.message.header
    assert header is not None
    from_initiator = step.src == n.initiator
    sealed = step.message.encrypted
    if header.exchange in (2, 4):
        n.mode = "aggressive" if header.exchange == 4 else "main"
        _read_phase1(n, step, from_initiator, sealed)
    elif header.exchange == 5:
        error = next((x.name for x in step.message.notifies if x.is_error), "")
        if error or (sealed and n.reach in (Reach.AUTH_ASKED, Reach.CHILD_ASKED)):
            _set_refusal(n, step, index, error)
            early = n.reach < Reach.AUTH_ASKED
            n.reach = Reach.INIT_REFUSED if early else _refused_after(n.reach)
    elif header.exchange == 32 and (from_initiator or n.reach < Reach.CHILD_ASKED):
        n.reach = max(n.reach, Reach.CHILD_ASKED)


def _refused_after(reach: Reach) -> Reach:
    return Reach.AUTH_REFUSED if reach == Reach.AUTH_ASKED else Reach.CHILD_REFUSED


def _read_phase1(n: Negotiation, step: Step, from_initiator: bool, sealed: bool) -> None:
    sa = step.message.sa
    if sa is not None:
        if from_initiator:
            n.offered = sa.model()
        else:
            n.chosen = sa.model()
            n.reach = max(n.reach, Reach.INIT_ANSWERED)
    if sealed:
        n.reach = max(n.reach, Reach.AUTH_ASKED if from_initiator else Reach.AUTH_ANSWERED)
    elif not from_initiator and n.mode == "aggressive" and sa is not None:
        n.reach = max(n.reach, Reach.AUTH_ASKED)
