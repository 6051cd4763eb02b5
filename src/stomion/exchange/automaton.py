"""How far a negotiation gets, as a table: version, exchange, direction, what the message says and the state before -> the state after, and
what is noted. A combination that is not in the table tells nothing about how far it got.

docs/exchanges.md is generated from the table. Nothing here reads bytes: exchange.negotiation finds out what a message says.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum, StrEnum

from stomion.wire.ike.numbers import ExchangeV1, ExchangeV2


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
    CHILD_ANSWERED = 8
    CHILD_UP = 9
    CARRIES = 10


REACH_WORDS = {
    Reach.ASKED: "asked, nothing answered",
    Reach.INIT_REFUSED: "refused in its first answer",
    Reach.INIT_ANSWERED: "keys exchanged, not authenticated",
    Reach.AUTH_ASKED: "authentication asked, nothing answered",
    Reach.AUTH_REFUSED: "refused at authentication",
    Reach.AUTH_ANSWERED: "authenticated",
    Reach.CHILD_REFUSED: "IKE SA up, child refused",
    Reach.CHILD_ASKED: "IKE SA up, child asked",
    Reach.CHILD_ANSWERED: "IKE SA up, child answered and not confirmed",
    Reach.CHILD_UP: "IKE SA and child up",
    Reach.CARRIES: "up, ESP flows",
}


class Way(StrEnum):
    """Which way a message goes. In IKEv2 the response flag tells (RFC 7296 3.1), in IKEv1 the initiator's address."""

    REQUEST = "request"
    ANSWER = "answer"


class Sign(StrEnum):
    """What a message says, as far as it can be read."""

    OFFER = "an SA with proposals"
    CHOICE = "an SA with the chosen proposal"
    WANTS_GROUP = "INVALID_KE_PAYLOAD with a group"
    ERROR = "an error notify"
    SEALED = "an encrypted payload"
    SEALED_LONE = "an encrypted payload with room for one notify"
    SEALED_PART = "a further fragment"
    OPENED = "opened, no error in it"
    OPENED_AUTH_ERROR = "opened: AUTHENTICATION_FAILED"
    OPENED_ERROR = "opened: another error"
    CLEAR = "no encrypted payload and no SA"


class Effect(StrEnum):
    """What is noted of the message."""

    NOTHING = ""
    NOTE_OFFER = "what is offered is noted"
    NOTE_CHOICE = "what is chosen is noted"
    ACCEPT = "what is chosen is noted; an earlier refusal is void"
    WANT_GROUP = "the wanted group is noted, as a refusal"
    REFUSE = "it is a refusal"
    VOID = "an earlier refusal is void"


ANY: tuple[Reach, ...] = tuple(Reach)
UP_TO_KEYS = (Reach.ASKED, Reach.INIT_REFUSED, Reach.INIT_ANSWERED)
FROM_REFUSED_AUTH = (
    Reach.AUTH_REFUSED,
    Reach.AUTH_ANSWERED,
    Reach.CHILD_REFUSED,
    Reach.CHILD_ASKED,
    Reach.CHILD_ANSWERED,
    Reach.CHILD_UP,
    Reach.CARRIES,
)


@dataclass(frozen=True, slots=True)
class Move:
    """One row. `to` is the state after it, None where it stays; with `at_least` a state that is further on stays too."""

    exchange: ExchangeV1 | ExchangeV2
    way: Way
    sign: Sign
    to: Reach | None = None
    effect: Effect = Effect.NOTHING
    at_least: bool = True
    states: tuple[Reach, ...] = ANY

    def after(self, reach: Reach) -> Reach:
        """The state after it."""
        if self.to is None:
            return reach
        return max(reach, self.to) if self.at_least else self.to


_ASK, _SAY = Way.REQUEST, Way.ANSWER
_MAIN, _AGGRESSIVE, _INFO, _QUICK = (
    ExchangeV1.MAIN_MODE, ExchangeV1.AGGRESSIVE, ExchangeV1.INFORMATIONAL, ExchangeV1.QUICK_MODE,
)  # fmt: skip
_INIT, _AUTH, _CHILD = ExchangeV2.IKE_SA_INIT, ExchangeV2.IKE_AUTH, ExchangeV2.CREATE_CHILD_SA

MOVES: tuple[Move, ...] = (
    Move(_INIT, _ASK, Sign.OFFER, effect=Effect.NOTE_OFFER),
    Move(_INIT, _SAY, Sign.WANTS_GROUP, effect=Effect.WANT_GROUP),
    Move(_INIT, _SAY, Sign.ERROR, Reach.INIT_REFUSED, Effect.REFUSE, at_least=False),
    Move(_INIT, _SAY, Sign.CHOICE, Reach.INIT_ANSWERED, Effect.ACCEPT),
    *(Move(_AUTH, _ASK, sign, Reach.AUTH_ASKED) for sign in Sign),
    Move(_AUTH, _SAY, Sign.SEALED, Reach.AUTH_ANSWERED),
    Move(_AUTH, _SAY, Sign.CLEAR, Reach.AUTH_ANSWERED),
    Move(_AUTH, _SAY, Sign.SEALED_LONE, Reach.AUTH_REFUSED, Effect.REFUSE, at_least=False),
    *(Move(_CHILD, _ASK, sign, Reach.CHILD_ASKED) for sign in Sign),
    *(
        move
        for exchange in (_AUTH, _CHILD)
        for move in (
            Move(exchange, _SAY, Sign.OPENED, Reach.AUTH_ANSWERED, Effect.VOID),
            Move(exchange, _SAY, Sign.OPENED_AUTH_ERROR, Reach.AUTH_REFUSED, Effect.REFUSE, at_least=False),
            Move(exchange, _SAY, Sign.OPENED_ERROR, Reach.CHILD_REFUSED, Effect.REFUSE, at_least=False),
        )
    ),
    *(
        move
        for exchange in (_MAIN, _AGGRESSIVE)
        for move in (
            Move(exchange, _ASK, Sign.OFFER, effect=Effect.NOTE_OFFER),
            Move(exchange, _ASK, Sign.SEALED, Reach.AUTH_ASKED),
            Move(exchange, _SAY, Sign.SEALED, Reach.AUTH_ANSWERED),
        )
    ),
    Move(_MAIN, _SAY, Sign.CHOICE, Reach.INIT_ANSWERED, Effect.NOTE_CHOICE),
    # The aggressive responder proves itself with its choice; what is still missing is the initiator's own proof (RFC 2409 5).
    Move(_AGGRESSIVE, _SAY, Sign.CHOICE, Reach.AUTH_ASKED, Effect.NOTE_CHOICE),
    *(
        move
        for way in Way
        for move in (
            Move(_INFO, way, Sign.ERROR, Reach.INIT_REFUSED, Effect.REFUSE, at_least=False, states=UP_TO_KEYS),
            Move(_INFO, way, Sign.ERROR, Reach.AUTH_REFUSED, Effect.REFUSE, at_least=False, states=(Reach.AUTH_ASKED,)),
            Move(_INFO, way, Sign.ERROR, Reach.CHILD_REFUSED, Effect.REFUSE, at_least=False, states=FROM_REFUSED_AUTH),
            # Encrypted, and straight after a question: what else but a refusal would that be.
            Move(_INFO, way, Sign.SEALED, Reach.AUTH_REFUSED, Effect.REFUSE, at_least=False, states=(Reach.AUTH_ASKED,)),
            Move(_INFO, way, Sign.SEALED, Reach.CHILD_REFUSED, Effect.REFUSE, at_least=False, states=(Reach.CHILD_ASKED,)),
        )
    ),
    # Quick mode has three messages; the third, the initiator's, completes it (RFC 2409 5.5).
    *(Move(_QUICK, _ASK, sign, Reach.CHILD_ASKED, states=tuple(r for r in Reach if r is not Reach.CHILD_ANSWERED)) for sign in Sign),
    *(Move(_QUICK, _ASK, sign, Reach.CHILD_UP, states=(Reach.CHILD_ANSWERED,)) for sign in Sign),
    *(Move(_QUICK, _SAY, sign, Reach.CHILD_ASKED, states=tuple(r for r in Reach if r < Reach.CHILD_ASKED)) for sign in Sign),
    *(Move(_QUICK, _SAY, sign, Reach.CHILD_ANSWERED, states=(Reach.CHILD_ASKED,)) for sign in Sign),
)  # fmt: skip

Key = tuple[int, int, Way, Sign, Reach]


def _table() -> dict[Key, Move]:
    """By version, exchange, direction, sign and state. Raises ValueError where two rows claim one combination."""
    found: dict[Key, Move] = {}
    for move in MOVES:
        version = 1 if isinstance(move.exchange, ExchangeV1) else 2
        for state in move.states:
            key = (version, int(move.exchange), move.way, move.sign, state)
            if key in found:
                raise ValueError(f"two rows for {key}")
            found[key] = move
    return found


TABLE = _table()
