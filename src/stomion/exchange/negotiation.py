"""Packets of one IKE SA put in order: what was asked, answered, sent again, refused, and how far it got."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from functools import lru_cache

from stomion.exchange.automaton import TABLE, Effect, Reach, Sign, Way
from stomion.model.packet import Datagram
from stomion.model.proposal import Proposal
from stomion.model.provenance import Provenance
from stomion.wire.ike import Header, Message, decode
from stomion.wire.ike.bodies import FragmentV1, KeV2, Notify, Sealed, SealedFragment
from stomion.wire.ike.keys import IkeKeys
from stomion.wire.ike.numbers import IKEV1, IKEV2, ExchangeV1

MAX_STEPS = 2_000
"""Messages of one negotiation kept as steps; a real one has a few dozen, a stuck one some hundreds."""


class Delivery(StrEnum):
    """What became of a message, by what both ends' captures hold of it."""

    UNKNOWN = ""
    ARRIVED = "arrived"
    LOST = "lost"


@dataclass(frozen=True, slots=True)
class Post:
    """One end as messages know it: its site, its addresses, and whether a capture of its own was running."""

    site: str
    addresses: frozenset[str]
    watched: bool


@dataclass(slots=True)
class Step:
    """One message on the ladder. `seen` are all captures that hold it, the sender's first where known.

    `again` is how many times the same bytes were sent before.
    """

    at: float
    src: str
    dst: str
    sport: int
    dport: int
    raw: bytes
    seen: list[tuple[float, Provenance]]
    again: int = 0
    fate: Delivery = Delivery.UNKNOWN
    cut: bool = False
    opened: Message | None = None

    @property
    def where(self) -> Provenance:
        return self.seen[0][1]

    @property
    def size(self) -> int:
        """Bytes of the message."""
        return len(self.raw)

    @property
    def message(self) -> Message:
        """The message as it was sent. It is read where it is looked at: most of a capture's thousands never are again."""
        return _small(self.raw) if len(self.raw) <= _SMALL else _large(self.raw)

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


_SMALL = 4_096
_small, _large = lru_cache(4_096)(decode), lru_cache(64)(decode)
"""What messages hold that were looked at lately; what is made of a message takes up to twenty times its bytes."""


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


def assemble(
    datagrams: Iterable[Datagram], keys: Sequence[IkeKeys] = (), posts: tuple[Post, ...] = ()
) -> list[Negotiation]:
    """Negotiations in the order of their first messages; the same message seen in several captures is one step. `datagrams` come in the
    order of their times.

    With the keys of an SA its encrypted messages are opened (`Step.opened`). `posts` are the two ends: with them the sender's capture of
    a message stands first, whatever the clocks say, and it is told whether the message arrived.
    """
    found: dict[tuple[bytes, frozenset[str]], Negotiation] = {}
    sent = _Sent()
    for item in datagrams:
        step = sent.step_of(item)
        header = step.message.header if step is not None else None
        if step is None or header is None:
            continue
        negotiation = _negotiation_of(step, header, found)
        if len(negotiation.steps) < MAX_STEPS:
            negotiation.steps.append(step)
        else:
            negotiation.dropped += 1
    result = sorted(found.values(), key=lambda n: n.start)
    for negotiation in result:
        for step in negotiation.steps:
            _settle(step, posts)
        if keys:
            _open(negotiation, keys)
        _read_through(negotiation)
    return result


@dataclass(slots=True)
class _Again:
    """The same bytes from the same sender, sent more than once or seen at more than one place."""

    steps: list[Step]
    counts: dict[str, int]
    """How many of them a capture holds."""


class _Sent:
    """Messages that were seen before: the nth sending in one capture is the nth in another."""

    def __init__(self) -> None:
        self._known: dict[tuple[bytes, str], Step | _Again] = {}

    def step_of(self, item: Datagram) -> Step | None:
        """The step that a datagram is; None where it is one that another capture has shown."""
        file = item.where.file
        known = self._known.get((item.payload, item.src))
        if known is None:
            step = self._known[(item.payload, item.src)] = _step(item, 0)
            return step
        if isinstance(known, Step):
            known = self._known[(item.payload, item.src)] = _Again([known], {known.where.file: 1})
        nth = known.counts.get(file, 0)
        known.counts[file] = nth + 1
        if nth < len(known.steps) and all(p.file != file for _, p in known.steps[nth].seen):
            _seen_again(known.steps[nth], item)
            return None
        step = _step(item, nth)
        known.steps.append(step)
        return step


def _step(item: Datagram, again: int) -> Step:
    return Step(
        item.at, item.src, item.dst, item.sport, item.dport, item.payload, [(item.at, item.where)], again,
        cut=item.more_fragments,
    )  # fmt: skip


def _settle(step: Step, posts: tuple[Post, ...]) -> None:
    """A message seen leaving one end, while the other end's capture was running and has it not, is lost on the way."""
    sender = next((p for p in posts if step.src in p.addresses), None)
    receiver = next((p for p in posts if step.dst in p.addresses), None)
    if sender is not None and len(step.seen) > 1:
        # With clocks that differ the sender's capture is not always the earlier one.
        step.seen.sort(key=lambda seen: seen[1].site != sender.site)
    if sender is None or receiver is None or step.fate is Delivery.ARRIVED:
        return
    if step.where.site == receiver.site:
        step.fate = Delivery.ARRIVED
    elif step.where.site == sender.site and receiver.watched:
        step.fate = Delivery.LOST


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
            opened = open_v2(step.raw, step.message, key) if n.version == IKEV2 else v1.open(step.raw, step.message)
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
    """The second place where a message was seen: it went from one to the other."""
    step.seen.append((item.at, item.where))
    step.fate = Delivery.ARRIVED


def _negotiation_of(step: Step, header: Header, found: dict[tuple[bytes, frozenset[str]], Negotiation]) -> Negotiation:
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
    """Fill in what the messages tell, in their order: see the table in exchange.automaton."""
    for index, step in enumerate(n.steps):
        header = step.message.header
        assert header is not None
        if step.again and n.version == IKEV1 and header.exchange == ExchangeV1.QUICK_MODE:
            # A first message that is sent again is not the third one.
            continue
        if n.version == IKEV1 and header.exchange in _MODES:
            n.mode = _MODES[header.exchange]
        asked = step.src == n.initiator if n.version == IKEV1 else not header.is_response
        for sign, notify in _signs(step, n.version, asked):
            move = TABLE.get((n.version, header.exchange, Way.REQUEST if asked else Way.ANSWER, sign, n.reach))
            if move is not None:
                n.reach = move.after(n.reach)
                _EFFECTS[move.effect](n, step, index, notify)


_MODES: dict[int, str] = {ExchangeV1.MAIN_MODE: "main", ExchangeV1.AGGRESSIVE: "aggressive"}
_HARMLESS = frozenset({"TEMPORARY_FAILURE", "CHILD_SA_NOT_FOUND", "NO_ADDITIONAL_SAS"})


def _signs(step: Step, version: int, asked: bool) -> Iterator[tuple[Sign, Notify | None]]:
    """What a message says, the notify with it where there is one: errors before what was chosen, as a later word counts more."""
    message = step.message
    if version != IKEV1 and not asked and step.opened is not None:
        yield _opened(step)
        return
    for notify in message.notifies if not asked or version == IKEV1 else ():
        if notify.wanted_group is not None:
            yield Sign.WANTS_GROUP, notify
        elif notify.is_error:
            yield Sign.ERROR, notify
    if message.sa is not None:
        yield (Sign.OFFER if asked else Sign.CHOICE), None
    if step.fragment and version != IKEV1 and not step.fragment.startswith("1 "):
        yield Sign.SEALED_PART, None
    elif message.encrypted:
        yield (Sign.SEALED_LONE if version != IKEV1 and _lone_notify(step) else Sign.SEALED), None
    elif message.sa is None:
        yield Sign.CLEAR, None


def _opened(step: Step) -> tuple[Sign, Notify | None]:
    """An answer whose inside is known."""
    error = next((x for x in step.view.notifies if x.is_error and x.name not in _HARMLESS), None)
    if error is None:
        return Sign.OPENED, None
    return (Sign.OPENED_AUTH_ERROR if error.name == "AUTHENTICATION_FAILED" else Sign.OPENED_ERROR), error


LONE_NOTIFY_BYTES = 80
"""An encrypted payload up to this size has room for one notify without data and nothing else: IV 16, one AES block of
notify (8) and padding, ICV up to 32, with slack for a second block (RFC 7296 3.14)."""


def _lone_notify(step: Step) -> bool:
    sealed = [p.body for p in step.message.payloads if isinstance(p.body, Sealed)]
    return len(sealed) == 1 and len(sealed[0].data) <= LONE_NOTIFY_BYTES


Noting = Callable[[Negotiation, Step, int, Notify | None], None]


def _nothing(_n: Negotiation, _step: Step, _index: int, _notify: Notify | None) -> None:
    return


def _note_offer(n: Negotiation, step: Step, _index: int, _notify: Notify | None) -> None:
    if step.message.sa is not None:
        n.offered = step.message.sa.model()
    ke = next((p.body for p in step.message.payloads if isinstance(p.body, KeV2)), None)
    n.offered_group = ke.group if ke else n.offered_group


def _note_choice(n: Negotiation, step: Step, _index: int, _notify: Notify | None) -> None:
    if step.message.sa is not None:
        n.chosen = step.message.sa.model()


def _accept(n: Negotiation, step: Step, index: int, notify: Notify | None) -> None:
    _note_choice(n, step, index, notify)
    _void(n, step, index, notify)


def _refuse(n: Negotiation, step: Step, index: int, notify: Notify | None) -> None:
    n.refusal, n.refused_by, n.refusal_step = notify.name if notify is not None else "", step.src, index


def _want_group(n: Negotiation, step: Step, index: int, notify: Notify | None) -> None:
    n.wanted_group = notify.wanted_group if notify is not None else n.wanted_group
    _refuse(n, step, index, notify)


def _void(n: Negotiation, _step: Step, _index: int, _notify: Notify | None) -> None:
    n.refusal, n.refused_by, n.refusal_step = "", "", -1


_EFFECTS: dict[Effect, Noting] = {
    Effect.NOTHING: _nothing,
    Effect.NOTE_OFFER: _note_offer,
    Effect.NOTE_CHOICE: _note_choice,
    Effect.ACCEPT: _accept,
    Effect.WANT_GROUP: _want_group,
    Effect.REFUSE: _refuse,
    Effect.VOID: _void,
}
