"""One typed observation taken from a log line."""

from __future__ import annotations

from enum import StrEnum

import msgspec

from stomion.model.proposal import Proposal
from stomion.model.provenance import Provenance


class What(StrEnum):
    """What a line says. The word for the deed is from the view of the gateway that wrote the line."""

    STARTED = "service started"
    CONFIGURED = "configuration loaded"
    CONFIG_FAULT = "configuration refused"
    INITIATING = "starts a negotiation"
    ASKED = "peer starts a negotiation"
    SENT = "message sent"
    RECEIVED = "message received"
    PROPOSALS = "proposals named"
    AGREED = "proposal agreed"
    RESENT = "sent again"
    GAVE_UP = "gave up waiting"
    NO_ANSWER = "peer does not answer"
    SEND_FAILED = "could not send"
    PORT_CLOSED = "the peer's port is closed"
    NO_PEER = "no configuration for this peer"
    VERSION_REFUSED = "IKE version refused"
    MODE_REFUSED = "exchange mode refused"
    IKE_PROPOSAL_REFUSED = "IKE proposal refused"
    CHILD_PROPOSAL_REFUSED = "child proposal refused"
    PFS_REFUSED = "PFS group refused"
    ENCAPSULATION_REFUSED = "encapsulation mode refused"
    PROPOSAL_REFUSED = "proposal refused"
    KEY_REFUSED = "key refused"
    IDENTITY_REFUSED = "identity refused"
    CERTIFICATE_REFUSED = "certificate refused"
    METHOD_REFUSED = "authentication method refused"
    AUTH_REFUSED = "authentication refused"
    UNDECRYPTABLE = "message made no sense after decryption"
    SELECTORS_REFUSED = "selectors refused"
    NARROWED = "selectors narrowed"
    INSTALL_FAILED = "SA could not be installed"
    REFUSED = "refused, reason not named"
    AUTH_OK = "peer authenticated"
    IKE_UP = "IKE SA up"
    CHILD_UP = "Child SA up"
    IKE_DOWN = "IKE SA ended"
    CHILD_DOWN = "Child SA ended"
    DELETED_BY_PEER = "deleted by the peer"
    REKEY = "rekeys"
    REKEY_FAILED = "rekey failed"
    PEER_LOST = "peer lost"
    NAT_FLOAT = "moved to port 4500"
    SPI_UNKNOWN = "no SA for this SPI"
    KE_RETRY = "asked for another group"
    WAITING = "waits for traffic"
    UNCARRIED = "traffic held back, no tunnel"


class Event(msgspec.Struct, frozen=True, gc=False):
    """`far` is True where the line reports what the *peer* decided (a notify received), False for the gateway's own deed.

    `bare` is True where a refusal is named and the line does not say which of the two ends it was.

    `mine`/`theirs` are the proposals or identities the line sets against each other, from the writer's view.
    `at` is None where the line has no time of its own; `assumed` names what of the time had to be assumed.
    """

    what: What
    where: Provenance
    text: str
    at: float | None = None
    far: bool = False
    bare: bool = False
    peer: str | None = None
    peer_port: int | None = None
    own: str | None = None
    conn: str | None = None
    sa: str | None = None
    version: int | None = None
    mode: str | None = None
    exchange: str | None = None
    request: bool | None = None
    notifies: tuple[str, ...] = ()
    spis: tuple[str, ...] = ()
    layer: str | None = None
    mine: Proposal | None = None
    theirs: Proposal | None = None
    offers: tuple[Proposal, ...] = ()
    """The peer's proposals one by one, where the line names several: `theirs` is then all their values together."""
    my_ts: tuple[str, ...] = ()
    their_ts: tuple[str, ...] = ()
    identities: tuple[str, ...] = ()
    guessed: bool = False
    """Is that it refuses something concluded from its place and topic alone, with no word that is known to say so?"""
    inferred: bool = False
    """Is its meaning concluded from the kinds of its values and from how far its negotiation had come, and not from its words alone?"""
    assumed: tuple[str, ...] = ()
