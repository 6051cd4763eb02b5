"""What a line says by its ideas: four ordered tables of rules, and the notify or exchange that it names."""

from __future__ import annotations

import re
from dataclasses import dataclass

from stomion.logs.lexicon import ideas_of
from stomion.model.event import What

CHILD, IKE = "layer child", "layer ike"
"""Ideas of no word of their own: the layer that the line's exchange or words tell."""


@dataclass(frozen=True, slots=True)
class Exchange:
    """An exchange a line may name: its words, its name, the IKE version (0 for both), and the layer it negotiates (or none)."""

    words: str
    name: str
    version: int
    layer: str


EXCHANGES: tuple[Exchange, ...] = (
    Exchange("ike sa init", "IKE_SA_INIT", 2, "ike"),
    Exchange("ike auth", "IKE_AUTH", 2, "auth"),
    Exchange("create child sa", "CREATE_CHILD_SA", 2, "child"),
    Exchange("ike intermediate", "IKE_INTERMEDIATE", 2, "ike"),
    Exchange("id prot", "MAIN_MODE", 1, "ike"),
    Exchange("main mode", "MAIN_MODE", 1, "ike"),
    Exchange("aggressive", "AGGRESSIVE", 1, "ike"),
    Exchange("quick mode", "QUICK_MODE", 1, "child"),
    Exchange("exchange 34", "IKE_SA_INIT", 2, "ike"),
    Exchange("exchange 35", "IKE_AUTH", 2, "auth"),
    Exchange("exchange 36", "CREATE_CHILD_SA", 2, "child"),
    Exchange("informational", "INFORMATIONAL", 0, ""),
)

ERRORS_OF_NOTIFIES: dict[str, What] = {
    "NO_PROPOSAL_CHOSEN": What.PROPOSAL_REFUSED,
    "AUTHENTICATION_FAILED": What.AUTH_REFUSED,
    "TS_UNACCEPTABLE": What.SELECTORS_REFUSED,
    "SINGLE_PAIR_REQUIRED": What.SELECTORS_REFUSED,
    "INVALID_ID_INFORMATION": What.SELECTORS_REFUSED,
    "INVALID_KE_PAYLOAD": What.KE_RETRY,
    "INVALID_HASH_INFORMATION": What.UNDECRYPTABLE,
    "PAYLOAD_MALFORMED": What.UNDECRYPTABLE,
    "INVALID_PAYLOAD_TYPE": What.UNDECRYPTABLE,
    "INVALID_MAJOR_VERSION": What.VERSION_REFUSED,
    "INVALID_EXCHANGE_TYPE": What.MODE_REFUSED,
    "TEMPORARY_FAILURE": What.REKEY,
}
_SPECIFIC = frozenset({
    What.SEND_FAILED, What.MODE_REFUSED, What.NARROWED, What.INSTALL_FAILED, What.VERSION_REFUSED, What.PFS_REFUSED,
    What.CERTIFICATE_REFUSED, What.METHOD_REFUSED, What.NO_PEER, What.KEY_REFUSED, What.UNDECRYPTABLE, What.PORT_CLOSED,
    What.ENCAPSULATION_REFUSED,
})  # fmt: skip
"""Reasons that tell more than the notify sent along with them."""
_AUTH_FAILED = re.compile(r" auth(?:entication)? ?fail\w*")
_REASON_BESIDE = frozenset({"identity", "refusal"})
"""An identity that is refused in other words than those of the notify that goes with it."""
_TWO_VERSIONS = re.compile(
    r" ike ?v?(?:ersion )?1 .* (?:ike ?v?(?:ersion )?|v|version )2 | ike ?v?(?:ersion )?2 .* (?:ike ?v?(?:ersion )?|v|version )1 "
)
_CONTRAST = re.compile(
    r" (?:whereas|but|while|only|requir\w*|not|instead|mismatch|restricted|expect\w*|allow\w*|turned|differ\w*|wanted|demand\w*) "
)
"""Both versions of IKE in one line, set against each other."""
_ALGORITHMS_REFUSED = frozenset({"algorithms", "refusal"})
_TROUBLED = frozenset({
    "because of proposal", "because of key", "because of nets", "because of name", "because of silence", "closed", "encap", "version", "no", "refusal", "silence", "again", "route", "narrow", "ended",
})  # fmt: skip
"""Without one of these ideas nothing is refused, lost or wrong."""


_HARMLESS = re.compile(
    r" not (?:needed|necessary|changed|checked)(?= )| (?:sent|sends|gave|gives|presented|brought|brings|shows|showed|with) no certificates?(?= )| without (?:an? )?certificates?(?= )| no (?:change|certificate request|other|ports?|narrowing)(?= )| by default(?= )| (?:continuing|going on|carrying on)(?= )(?! \w+ (?:port )?4500)"
    r"| set to \d+ (?:s|sec|secs|seconds|ms|min|minutes)(?= )| ext(?:ended|ension) seq\w*"
)
"""What is denied without any harm: it was not needed, or things go on without it."""


def is_harmless(text: str) -> bool:
    """Does a plain line deny only what was not needed?"""
    return _HARMLESS.search(text) is not None


@dataclass(frozen=True, slots=True)
class Rule:
    """All `ideas` must be present and none of `unless`; `said` must stand in the plain text and `unsaid` must not (patterns).

    `what` is None where such a line says nothing of its kind.
    """

    what: What | None
    ideas: tuple[str, ...]
    unless: tuple[str, ...] = ()
    said: str = ""
    unsaid: str = ""

    def fits(self, text: str, ideas: frozenset[str]) -> bool:
        """Is a line, as plain text and as the ideas in it, one of this rule's?"""
        if not ideas.issuperset(self.ideas) or ideas.intersection(self.unless):
            return False
        if self.said and not re.search(self.said, text):
            return False
        return not (self.unsaid and re.search(self.unsaid, text))


_RANGE = r" (?:\d{1,3}(?:\.\d{1,3}){3} \d{1,2}|[0-9a-f:]{3,39}:: \d{1,3})(?= )"
_TWO_RANGES = rf"{_RANGE}(?: [^\d\s]\S*){{0,4}}{_RANGE}"
"""Two networks in one line that denies something: of what else than of them?"""
R = Rule
TROUBLE: tuple[Rule, ...] = (
    R(What.SEND_FAILED, ("route",)),
    R(What.PORT_CLOSED, ("closed",)),
    R(What.KE_RETRY, ("regroup", "group"), ("child",)),
    R(What.MODE_REFUSED, ("mode", "refusal"), ("child",)),
    R(What.MODE_REFUSED, ("mode", "method")),
    R(What.NARROWED, ("narrow", "selector")),
    R(What.NARROWED, ("narrow",), said=r" \d{1,3}(?:\.\d{1,3}){3} \d"),
    R(What.INSTALL_FAILED, ("install", "no")),
    R(What.VERSION_REFUSED, ("version", "no"), ("key", "nopeer")),
    R(
        What.VERSION_REFUSED,
        ("version",),
        said=r" (?:generation|version|ike) ?[12] .* (?:required|wanted|needed|expected|only|mandatory)",
    ),
    R(What.PFS_REFUSED, ("pfs", "refusal")),
    R(
        What.CERTIFICATE_REFUSED,
        ("certificate", "no"),
        ("key",),
        unsaid=r" not (?:needed|required|requested|used)(?= )",
    ),
    R(What.METHOD_REFUSED, ("method", "refusal")),
    R(What.UNDECRYPTABLE, ("decrypt", "no"), ("selector",)),
    R(What.SPI_UNKNOWN, ("nospi", "no"), ("ike", "proposal")),
    R(What.ENCAPSULATION_REFUSED, ("encap", "refusal"), ("ike", "nopeer", "key")),
    R(
        What.ENCAPSULATION_REFUSED,
        ("encap",),
        said=r" (?:transport|tunnel) encapsulation .* (?:transport|tunnel) encapsulation",
    ),
    R(What.SELECTORS_REFUSED, ("selector", "refusal"), ("auth", "decrypt", "key", "nopeer")),
    R(What.NO_PEER, ("nopeer", "selector"), ("key", "child"), said=r" covers? \d{1,3}(?:\.\d{1,3}){3}(?= )(?! \d)"),
    R(What.SELECTORS_REFUSED, ("nopeer", "selector")),
    R(What.SELECTORS_REFUSED, ("nopeer", "child"), ("ike",)),
    R(
        What.SELECTORS_REFUSED,
        ("no",),
        ("auth", "decrypt", "key", "proposal", "route", "up", "narrow", "silence"),
        said=_TWO_RANGES,
    ),
    R(What.CHILD_PROPOSAL_REFUSED, ("proposal", "child", "refusal"), ("key", "ike")),
    R(What.IKE_PROPOSAL_REFUSED, ("proposal", "ike", "refusal"), ("key", "child", "nopeer")),
    R(What.CHILD_PROPOSAL_REFUSED, ("proposal", "child", "refusal"), ("key", "nopeer")),
    R(What.NO_PEER, ("nopeer",), ("key",)),
    R(What.PROPOSAL_REFUSED, ("proposal", "refusal"), ("key", "auth")),
    R(What.KEY_REFUSED, ("key", "no"), ("up",)),
    R(What.KEY_REFUSED, ("identity", "refusal", "because of key"), ("decrypt",)),
    R(What.IDENTITY_REFUSED, ("identity", "refusal"), ("decrypt",)),
    R(What.GAVE_UP, ("silence", "ended"), ("child",)),
    # A reason is given, whatever for.
    R(What.PROPOSAL_REFUSED, ("because of proposal",), ("up", "again", "begin")),
    R(What.KEY_REFUSED, ("because of key",), ("up", "again", "begin", "rekey")),
    R(What.SELECTORS_REFUSED, ("because of nets",), ("up", "again", "begin")),
    R(What.IDENTITY_REFUSED, ("because of name",), ("up", "again", "begin", "certificate")),
    R(What.NO_ANSWER, ("because of silence",), ("up", "again", "begin", "peerlost"), unsaid=r" session from | flow "),
    # Something is turned away, in whatever words: what the rest of the line speaks of.
    R(What.PFS_REFUSED, ("freshkey", "child", "turned away"), ("up",)),
    R(What.PROPOSAL_REFUSED, ("cipher", "turned away"), ("up", "nets", "secret", "silence", "install")),
    R(
        What.IDENTITY_REFUSED,
        ("named", "turned away", "ike"),
        ("up", "cipher", "nets", "secret", "silence", "certificate", "auth"),
    ),
    R(What.AUTH_REFUSED, ("auth", "no"), ("up", "silence")),
    R(What.REKEY_FAILED, ("rekey", "no"), ("proposal", "selector", "silence")),
    R(What.PEER_LOST, ("peerlost", "silence")),
    R(What.KE_RETRY, ("group", "again"), ("child",)),
    R(What.RESENT, ("again",), ("ended",), unsaid=" succe"),
    R(What.NO_ANSWER, ("silence",), unsaid=r" (?:sa|channel|tunnel) (?:\S+ ){0,3}is (?:down|gone)(?= )(?! since)"),
)
"""Lines in which something is refused, lost or wrong."""

_SA_UP = r" (?:ike )?sa \S* ?established"
GOOD: tuple[Rule, ...] = (
    R(
        What.STARTED,
        ("service",),
        said=r" (?:service|daemon|engine|process|agent|server) (?:is |now |has )?(?:up|started|loaded|active|ready|running|online)(?= )",
        unsaid=r" tunnel to | link to | established| sa (?:is |now )?(?:up|ready|active)",
    ),
    R(None, ("rekey", "down")),
    R(None, ("rekey", "renewed")),
    R(None, ("probing",)),
    R(What.WAITING, ("waits",)),
    R(What.IKE_UP, (), said=r" established (?:the |an? )?(?:ike|isakmp|parent) sa"),
    R(None, ("auth", "me"), ("child",), unsaid=_SA_UP),
    R(What.AUTH_OK, ("auth",), ("child",), unsaid=_SA_UP),
    R(What.CHILD_UP, ("child",), unsaid=r" (?:ike|isakmp|parent) sa (?:\S+ )?(?:established|up)"),
    R(
        What.CHILD_UP,
        ("selector",),
        ("service", "auth"),
        unsaid=r" (?:ike|isakmp|parent|control|secure) (?:sa|channel|layer)",
    ),
    R(What.IKE_UP, ("ike",)),
    R(What.CHILD_UP, (), ("service", "peerlost"), said=r" tunnel| vpn| site link| link "),
)
"""Lines in which something came up, and nothing of it is denied."""

_BY_THE_PEER = (
    r" (?:deleted|closed|ended|removed|terminated|withdrawn|revoked|cancell?ed|(?:torn|taken|shut) down|destroyed|dropped|cleared) (?:\w+ ){0,2}by "
    r"(?:its |the |our |a )?(?:peer|remote|partner|neighbou?r|far|other (?:end|side)|opposite)"
    r"| (?:peer|partner|remote|far|gateway)(?: \S+){0,2} (?:hung|hangs) up| asked us to (?:drop|close|end|stop)| (?:on|at) (?:the )?request of the (?:peer|partner|remote|far)"
    r"| (?:peer|partner|remote|far|gateway)(?: \S+){0,2} (?:withdrew|withdraws|deleted|closed|removed|tore down|ended) (?:the |its |an? |our )?(?:\w+ )?(?:sa|child|tunnel|channel|association)(?= )"
    r"| \d{1,3}(?:\.\d{1,3}){3} (?:(?:asked|asks|requested|wants)(?: us)? to (?:delete|close|drop|end|remove)|cancell?ed the)(?= )"
    r"| \d{1,3}(?:\.\d{1,3}){3} (?:tore|took|shut|brought) (?:\w+ ){0,6}down(?= )"
    r"| (?:closed|ended|withdrawn|cleared|taken down|shut down|deleted) (?:there|over there|at the far end|remotely|(?:on|at) (?:their|its) (?:part|side|end))(?= )"
)
NEUTRAL: tuple[Rule, ...] = (
    R(What.WAITING, ("waits",)),
    R(What.AGREED, ("selected",)),
    R(What.NAT_FLOAT, ("float",)),
    R(What.PROPOSALS, ("names",), ("no",)),
    R(What.CONFIGURED, ("configured",), ("begin",)),
    R(What.DELETED_BY_PEER, ("delete", "received")),
    R(
        What.DELETED_BY_PEER,
        ("delete",),
        said=r" (?:(?:peer|partner|remote|far|gateway)(?: \S+)?|\d{1,3}(?:\.\d{1,3}){3}) sent (?:an? |the )?delete",
    ),
    R(What.DELETED_BY_PEER, ("down",), ("rekey", "renewed"), said=_BY_THE_PEER),
    # A finished rekey that names its new SPIs is a new child; all else about rekeying is under way.
    R(What.CHILD_UP, ("rekey", "renewed", "child", "two spis"), ("scheduling",)),
    R(What.REKEY, ("rekey",), ("scheduling",)),
    R(What.CHILD_DOWN, ("down", "child")),
    R(What.IKE_DOWN, ("down", "ike"), unsaid=r" (?:packet|datagram|message|frame)s?(?= )"),
    R(
        What.STARTED,
        ("begin",),
        said=r"^ (?:\S+ ){0,5}(?:gateway|engine|service|process|daemon|system|server|software)(?: process)? (?:has )?(?:started|starts|begins? work|begun|online)(?= $)",
    ),
    R(What.ASKED, ("asked", "begin")),
    R(What.ASKED, ("asked",), said=r"contacted| handshake| dial\w+ in| knock"),
    R(What.STARTED, ("begin", "service"), unsaid="ike sa| ike version"),
    R(What.STARTED, ("service", "ike"), said=r" (?:service|daemon|engine|process)(?: \w+){0,3} (?:ready|running)"),
    R(What.INITIATING, ("begin", "ike")),
    R(What.INITIATING, ("begin", "child")),
    R(What.INITIATING, ("begin",), said="gateway|far| partner| peer"),
    R(
        What.INITIATING,
        ("begin",),
        said=r" (?:initiat\w+|negotiat\w+) (?:to|with|towards) (?:\d{1,3}(?:\.\d{1,3}){3}|[0-9a-f]{1,4}:)",
    ),
    R(
        What.ASKED,
        ("asksfor", "selector"),
        said=r" (?:partner|peer|remote|far|device|other \w+|responder|initiator)(?: \w+){0,3} (?:asks|asked|requests|requested) ",
    ),
    R(What.INITIATING, ("asksfor", "selector"), ("received",)),
    R(None, ("begin",)),
    R(What.RECEIVED, ("received",), said="packet.*(?:from| to )|(?:from| to ).*packet"),
    R(What.SENT, ("sent",), said="packet.*(?:from| to )|(?:from| to ).*packet"),
)
"""Lines that neither succeed nor fail."""

REFUSED: tuple[Rule, ...] = (
    R(What.CHILD_PROPOSAL_REFUSED, (CHILD,)),
    R(What.CHILD_PROPOSAL_REFUSED, (), said=" no child| child sa "),
    R(What.IKE_PROPOSAL_REFUSED, (IKE, "named")),
    R(
        What.IKE_PROPOSAL_REFUSED,
        (IKE,),
        said=" (?:ike|isakmp|parent) sa (?:was |is )?(?:refused|rejected|failed|denied)",
    ),
)
"""A refused proposal belongs to the IKE SA or to the Child SA, where exchange or words tell."""


REFUSALS = frozenset(what for what in What if what.name.endswith("_REFUSED")) | {What.NO_PEER}
"""What one of the two ends decided: who it was, the line's role and direction tell."""


def first_of(rules: tuple[Rule, ...], text: str, ideas: frozenset[str]) -> Rule | None:
    """The first rule that fits."""
    return next((rule for rule in rules if rule.fits(text, ideas)), None)


def classify(text: str, ideas: frozenset[str], notifies: tuple[str, ...], exchange: Exchange | None) -> What | None:
    """What a plain line says; None where it says nothing about a negotiation.

    The order: a reason that tells more than the notify sent with it, the notify, a message of a named exchange, success, trouble, the rest.
    """
    if "heldback" in ideas and " spi " not in text:
        return What.UNCARRIED
    if _TWO_VERSIONS.search(text) and _CONTRAST.search(text):
        return What.VERSION_REFUSED
    positive = "up" in ideas and "no" not in ideas
    troubled = ideas & _TROUBLED and not is_harmless(text)
    bad = _found(TROUBLE, text, ideas) if troubled else None
    if troubled and bad is None and ideas >= _ALGORITHMS_REFUSED:
        # Whose names are set against each other is a proposal's, though no word says so.
        bad = _found(TROUBLE, text, ideas | {"proposal"})
    if bad in _SPECIFIC and not (positive and bad is not What.SEND_FAILED):
        return bad
    error = next((ERRORS_OF_NOTIFIES[n] for n in notifies if n in ERRORS_OF_NOTIFIES), None)
    if (
        error is What.AUTH_REFUSED
        and bad is What.IDENTITY_REFUSED
        and ideas_of(_AUTH_FAILED.sub(" ", text)) >= _REASON_BESIDE
    ):
        return bad
    if error is not None:
        return _refined(error, text, ideas, exchange)
    if exchange and not positive and (" request " in text or " response " in text) and ideas & {"sent", "received"}:
        if bad in (What.RESENT, What.UNDECRYPTABLE):
            return bad
        return What.RECEIVED if "received" in ideas else What.SENT
    good = _found(GOOD, text, ideas) if positive else None
    if good is not None:
        return good
    if bad is not None:
        return _refined(bad, text, ideas, exchange)
    return _found(NEUTRAL, text, ideas)


def _found(rules: tuple[Rule, ...], text: str, ideas: frozenset[str]) -> What | None:
    rule = first_of(rules, text, ideas)
    return rule.what if rule is not None else None


def layer_of(ideas: frozenset[str], exchange: Exchange | None) -> str | None:
    """The layer a line speaks of: its exchange's, else the one its words name alone."""
    if exchange and exchange.layer:
        return exchange.layer
    named = ideas & {"child", "ike"}
    return next(iter(named)) if len(named) == 1 else None


def _refined(what: What, text: str, ideas: frozenset[str], exchange: Exchange | None) -> What:
    """A refusal with the layer it belongs to."""
    if what is What.SELECTORS_REFUSED and exchange and exchange.layer == "ike":
        return What.IDENTITY_REFUSED
    if what is not What.PROPOSAL_REFUSED:
        return what
    layer = layer_of(ideas, exchange)
    known = {CHILD if layer == "auth" else f"layer {layer}"} | ({"named"} if exchange else set())
    return _found(REFUSED, text, ideas | known) or what
