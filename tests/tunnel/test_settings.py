# ruff: noqa: E501
"""What an end is set to, asked for and takes: every source alone, which of two comes first, and the place each answer names."""

from __future__ import annotations

from ipaddress import ip_address
from typing import Any

import pytest

import samples
from stomion.exchange.negotiation import Negotiation, Step
from stomion.exchange.story import read_story
from stomion.model.event import Event, What
from stomion.model.proposal import Proposal
from stomion.model.provenance import Provenance
from stomion.model.site import SheetProposal, SheetTunnel
from stomion.tunnel import settings
from stomion.tunnel.picture import End, Picture
from stomion.tunnel.settings import Basis, Known, Layer, Ranges
from stomion.wire.ike import Message, Payload
from stomion.wire.ike import bodies as b

ADDRESS = {"a": "192.0.2.10", "b": "198.51.100.34"}


def P(cipher: str, protocol: str = "", *groups: str) -> Proposal:
    return Proposal(protocol, (cipher,), group=groups)


ONE, TWO, THREE = P("AES-CBC-256"), P("AES-CBC-128"), P("3DES-CBC")


def line(number: int, what: What, file: str = "log", **more: Any) -> Event:
    return Event(what, Provenance(file, "a", line=number), "", float(number), **more)


def end(site: str, *events: Event, **more: Any) -> End:
    return End(
        site, frozenset([ADDRESS[site]]), events=events, story=read_story(list(events)), has_log=bool(events), **more
    )


def with_sheet(
    site: str, first: tuple[Proposal, ...] = (), child: tuple[Proposal, ...] = (), **more: Any
) -> dict[str, Any]:
    other = ADDRESS["b" if site == "a" else "a"]
    sheet = SheetTunnel("t", local=ADDRESS[site], peer=other, **more)
    return {
        "sheet": sheet,
        "sheet_file": f"{site}.toml",
        "sheet_line": 3,
        "ike_proposals": first,
        "child_proposals": child,
    }


def wire(initiator: str, number: int = 1, **more: Any) -> Negotiation:
    responder = "b" if initiator == "a" else "a"
    where = Provenance("wan.pcap", "a", packet=number)
    step = Step(
        float(number),
        ADDRESS[initiator],
        ADDRESS[responder],
        500,
        500,
        samples.init_request(14),
        [(float(number), where)],
    )
    made = Negotiation(b"i", ADDRESS[initiator], ADDRESS[responder], 2, [step])
    for name, value in more.items():
        setattr(made, name, value)
    return made


def opened(initiator: str, near: str, far: str) -> Negotiation:
    """A request for a Child SA that the user's keys open."""
    made = wire(initiator, 5)
    step = made.steps[0]
    lists = [
        b.TsList(b"\0\0\0", (b.TsRange(7, 0, b"\0\0\xff\xff" + 2 * ip_address(one).packed),)) for one in (near, far)
    ]
    step.opened = Message(
        step.message.header, (Payload(33, samples.suite(14)), Payload(44, lists[0]), Payload(45, lists[1]))
    )
    return made


def picture(a: End, b_: End, *negotiations: Negotiation) -> Picture:
    return Picture("a-b", a, b_, negotiations=negotiations)


def told(found: Known[Any]) -> tuple[Any, str, str]:
    """(value, source, place); ciphers stand for proposals."""
    value = found.value
    if isinstance(value, tuple):
        value = [" ".join((*p.encryption, *(f"group {g}" for g in p.group))) for p in value]
    elif isinstance(value, Ranges):
        value = (*value.near, "to", *value.remote)
    where = found.where
    place = "" if where is None else f"{where.file}:{where.line or where.packet}"
    return value, found.source.value, place


NOTHING: tuple[list[str], str, str] = ([], "", "")
OWN = line(7, What.IKE_PROPOSAL_REFUSED, mine=ONE, theirs=TWO)
CASES: list[tuple[str, Picture, Layer, tuple[Any, ...], tuple[Any, ...], tuple[Any, ...]]] = [
    ("nothing", picture(end("a"), end("b")), Layer.IKE, NOTHING, NOTHING, NOTHING),
    (
        "a sheet",
        picture(end("a", **with_sheet("a", (ONE, TWO), (THREE,))), end("b")), Layer.IKE,
        (["AES-CBC-256", "AES-CBC-128"], "declared", "a.toml:3"), (["AES-CBC-256", "AES-CBC-128"], "declared", "a.toml:3"),
        (["AES-CBC-256", "AES-CBC-128"], "declared", "a.toml:3"),
    ),
    (
        "a sheet, the child's",
        picture(end("a", **with_sheet("a", (ONE,), (THREE,))), end("b")), Layer.CHILD,
        (["3DES-CBC"], "declared", "a.toml:3"), (["3DES-CBC"], "declared", "a.toml:3"), (["3DES-CBC"], "declared", "a.toml:3"),
    ),
    (
        "its own refusal",
        picture(end("a", OWN), end("b")), Layer.IKE,
        (["AES-CBC-256"], "seen", "log:7"), (["AES-CBC-256"], "seen", "log:7"), (["AES-CBC-256"], "seen", "log:7"),
    ),
    (
        "its own refusal is not the child's",
        picture(end("a", OWN), end("b")), Layer.CHILD, NOTHING, NOTHING, NOTHING,
    ),
    (
        "the peer's refusal",
        picture(end("a"), end("b", OWN)), Layer.IKE,
        (["AES-CBC-128"], "inferred", "log:7"), (["AES-CBC-128"], "inferred", "log:7"), NOTHING,
    ),
    (
        "the peer's refusal with offers one by one",
        picture(end("a"), end("b", line(7, What.IKE_PROPOSAL_REFUSED, theirs=TWO, offers=(ONE, THREE)))), Layer.IKE,
        (["AES-CBC-256", "3DES-CBC"], "inferred", "log:7"), (["AES-CBC-256", "3DES-CBC"], "inferred", "log:7"), NOTHING,
    ),
    (
        "both refusals: its own word before the peer's, the peer's for what it offered",
        picture(end("a", line(3, What.IKE_PROPOSAL_REFUSED, mine=THREE)), end("b", OWN)), Layer.IKE,
        (["3DES-CBC"], "seen", "log:3"), (["AES-CBC-128"], "inferred", "log:7"), (["3DES-CBC"], "seen", "log:3"),
    ),
    (
        "the last refusal counts",
        picture(end("a", line(3, What.IKE_PROPOSAL_REFUSED, mine=THREE), line(9, What.IKE_PROPOSAL_REFUSED, mine=TWO)), end("b")), Layer.IKE,
        (["AES-CBC-128"], "seen", "log:9"), (["AES-CBC-128"], "seen", "log:9"), (["AES-CBC-128"], "seen", "log:9"),
    ),
    (
        "proposals named before a refusal that names none",
        picture(
            end("a"),
            end("b", line(4, What.PROPOSALS, theirs=P("AES-CBC-256", "IKE")), line(5, What.PROPOSALS, theirs=P("3DES-CBC", "IKE")), line(6, What.PROPOSALS, theirs=P("DES-CBC", "ESP")), line(8, What.IKE_PROPOSAL_REFUSED)),
        ),
        Layer.IKE,
        (["3DES-CBC"], "inferred", "log:5"), (["AES-CBC-256", "3DES-CBC"], "inferred", "log:5"), NOTHING,
    ),
    (
        "lists of another file, connection, or further up are others",
        picture(
            end("a", line(2, What.PROPOSALS, mine=P("AES-CBC-256", "IKE")), line(4, What.PROPOSALS, mine=P("AES-CBC-192", "IKE"), conn="x"), line(5, What.PROPOSALS, "other.log", mine=P("3DES-CBC", "IKE"), conn="y"), line(6, What.PROPOSALS, mine=P("3DES-CBC", "IKE"), conn="y")),
            end("b"),
        ),
        Layer.IKE,
        (["3DES-CBC"], "seen", "log:6"), (["3DES-CBC"], "seen", "log:6"), (["3DES-CBC"], "seen", "log:6"),
    ),
    (
        "the child's refusal",
        picture(end("a", line(5, What.CHILD_PROPOSAL_REFUSED, mine=ONE, theirs=TWO)), end("b")), Layer.CHILD,
        (["AES-CBC-256"], "seen", "log:5"), (["AES-CBC-256"], "seen", "log:5"), (["AES-CBC-256"], "seen", "log:5"),
    ),
    (
        "a line of the child's that is no refusal",
        picture(end("a", line(5, What.AGREED, mine=ONE, layer="child"), line(6, What.AGREED, mine=TWO)), end("b")), Layer.CHILD,
        (["AES-CBC-256"], "seen", "log:5"), NOTHING, NOTHING,
    ),
    (
        "a line of neither layer is the IKE SA's",
        picture(end("a", line(5, What.AGREED, mine=ONE, layer="child"), line(6, What.AGREED, mine=TWO)), end("b")), Layer.IKE,
        (["AES-CBC-128"], "seen", "log:6"), NOTHING, NOTHING,
    ),
    (
        "what it asked with on the wire, the latest",
        picture(end("a"), end("b"), wire("a", 1, offered=(ONE,)), wire("a", 2, offered=(TWO,)), wire("a", 3)), Layer.IKE,
        (["AES-CBC-128"], "seen", "wan.pcap:2"), NOTHING, NOTHING,
    ),
    (
        "what it chose on the wire, before its log; its log's refusal is its word",
        picture(end("a", OWN), end("b"), wire("b", 4, chosen=(THREE,), offered=(ONE,))), Layer.IKE,
        (["3DES-CBC"], "seen", "wan.pcap:4"), (["AES-CBC-256"], "seen", "log:7"), (["AES-CBC-256"], "seen", "log:7"),
    ),
    (
        "the group it wants instead",
        picture(end("a"), end("b"), wire("b", 4, wanted_group=19, refusal="INVALID_KE_PAYLOAD"), wire("b", 6)), Layer.IKE,
        (["group 19"], "seen", "wan.pcap:4"), NOTHING, (["group 19"], "seen", "wan.pcap:4"),
    ),
    (
        "a group that was wanted and then taken is no refusal",
        picture(end("a"), end("b"), wire("b", 4, wanted_group=19)), Layer.IKE, NOTHING, NOTHING, NOTHING,
    ),
    (
        "nothing of the IKE SA's messages is the child's",
        picture(end("a"), end("b"), wire("b", 4, chosen=(THREE,))), Layer.CHILD, NOTHING, NOTHING, NOTHING,
    ),
    (
        "an opened request",
        picture(end("a", **with_sheet("a", (), (THREE,))), end("b"), opened("a", "10.0.0.0", "10.9.0.0")), Layer.CHILD,
        (["3DES-CBC"], "declared", "a.toml:3"), (["AES-CBC-256 group 14"], "seen", "wan.pcap:5"), (["3DES-CBC"], "declared", "a.toml:3"),
    ),
    (
        "the peer's opened request is not its own",
        picture(end("a"), end("b"), opened("b", "10.0.0.0", "10.9.0.0")), Layer.CHILD, NOTHING, NOTHING, NOTHING,
    ),
]  # fmt: skip


@pytest.mark.parametrize(
    ("made", "layer", "known", "offered", "accepted"), [c[1:] for c in CASES], ids=[c[0] for c in CASES]
)
def test_what_an_end_is_set_to_asks_for_and_takes(
    made: Picture, layer: Layer, known: Any, offered: Any, accepted: Any
) -> None:
    assert told(settings.known(made, made.left, layer)) == known
    assert told(settings.offered(made, made.left, layer)) == offered
    assert told(settings.accepted(made, made.left, layer)) == accepted


def test_the_refused_negotiation_tells_what_was_offered() -> None:
    refused = wire("a", 6, offered=(THREE,))
    made = picture(end("a", OWN), end("b", line(3, What.IKE_PROPOSAL_REFUSED, theirs=ONE)), refused)
    assert told(settings.offered(made, made.left, Layer.IKE, refused)) == (["3DES-CBC"], "seen", "wan.pcap:6")
    assert told(settings.offered(made, made.right, Layer.IKE, refused)) == (["AES-CBC-128"], "inferred", "log:7")


def test_a_sheet_that_what_was_seen_contradicts() -> None:
    for seen, differs in ((TWO, True), (ONE, False)):
        made = picture(end("a", **with_sheet("a", (ONE,))), end("b"), wire("a", 2, offered=(seen,)))
        found = settings.known(made, made.left, Layer.IKE)
        assert (found.value, found.source) == ((ONE,), Basis.DECLARED)
        assert (found.against is not None and told(found.against) == (["AES-CBC-128"], "seen", "wan.pcap:2")) is differs
        assert found.against is None or differs
    heard = picture(end("a", **with_sheet("a", (ONE,))), end("b", OWN))
    assert settings.known(heard, heard.left, Layer.IKE).against is None, "what the peer says of it is no contradiction"


UP = line(4, What.CHILD_UP, my_ts=("10.64.0.0/24", "10.96.0.0/20"))
ASKED = line(
    9, What.SELECTORS_REFUSED, my_ts=("10.96.0.0/20", "10.64.0.0/24"), their_ts=("10.64.0.0/16", "10.96.0.0/20")
)
TURNED = line(
    9, What.SELECTORS_REFUSED, my_ts=("10.96.0.0/20", "10.64.0.0/24"), their_ts=("10.96.0.0/20", "10.64.0.0/16")
)


@pytest.mark.parametrize(
    ("made", "expected"),
    [
        (picture(end("a"), end("b")), (("to",), "", "")),
        (picture(end("a", UP, **with_sheet("a", local_ts=("10.1.0.0/24",))), end("b")), (("10.1.0.0/24", "to"), "declared", "a.toml:3")),
        (picture(end("a", UP, **with_sheet("a", remote_ts=("10.1.0.0/24",))), end("b")), (("to", "10.1.0.0/24"), "declared", "a.toml:3")),
        (picture(end("a", UP, **with_sheet("a")), end("b")), (("10.64.0.0/24", "to", "10.96.0.0/20"), "seen", "log:4")),
        (picture(end("a", UP), end("b"), opened("a", "10.1.0.0", "10.9.0.0")), (("10.1.0.0/32", "to", "10.9.0.0/32"), "seen", "wan.pcap:5")),
        (picture(end("a", UP), end("b"), opened("b", "10.1.0.0", "10.9.0.0")), (("10.64.0.0/24", "to", "10.96.0.0/20"), "seen", "log:4")),
        (picture(end("a", UP), end("b", ASKED)), (("10.64.0.0/24", "to", "10.96.0.0/20"), "seen", "log:4")),
        (picture(end("a", line(4, What.AGREED, my_ts=UP.my_ts)), end("b", ASKED)), (("10.64.0.0/16", "to", "10.96.0.0/20"), "inferred", "log:9")),
        (picture(end("a", line(4, What.CHILD_UP, my_ts=("10.64.0.0/24",))), end("b", TURNED)), (("10.64.0.0/16", "to", "10.96.0.0/20"), "inferred", "log:9")),
        (picture(end("a"), end("b", line(9, What.SELECTORS_REFUSED, their_ts=ASKED.their_ts))), (("to",), "", "")),
        (picture(end("a"), end("b", ASKED, line(10, What.NARROWED, my_ts=("10.96.0.0/20",)))), (("10.64.0.0/16", "to", "10.96.0.0/20"), "inferred", "log:9")),
    ],
)  # fmt: skip
def test_which_ranges_an_end_wants_to_join(made: Picture, expected: tuple[Any, ...]) -> None:
    assert told(settings.ranges(made, made.left)) == expected


def test_ranges_are_whole_where_both_sides_are_known() -> None:
    assert [bool(r) for r in (Ranges(), Ranges(("x",)), Ranges((), ("y",)))] == [False, True, True]
    assert [r.whole for r in (Ranges(("x",)), Ranges((), ("y",)), Ranges(("x",), ("y",)))] == [False, False, True]


@pytest.mark.parametrize(
    ("made", "expected"),
    [
        (picture(end("a"), end("b")), (None, "", "")),
        (picture(end("a", line(2, What.INITIATING, version=1), **with_sheet("a", ike=2)), end("b")), (2, "declared", "a.toml:3")),
        (picture(end("a", line(2, What.INITIATING, version=1), **with_sheet("a")), end("b"), wire("a", 4)), (1, "seen", "")),
        (picture(end("a"), end("b"), wire("a", 4)), (2, "seen", "wan.pcap:4")),
        (picture(end("a"), end("b"), wire("b", 4)), (None, "", "")),
        (picture(end("a"), end("b"), wire("b", 3), wire("a", 4, version=1)), (1, "seen", "wan.pcap:4")),
    ],
)  # fmt: skip
def test_the_version_an_end_is_set_to(made: Picture, expected: tuple[Any, ...]) -> None:
    assert told(settings.version(made, made.left)) == expected


def test_an_end_without_a_sheet_stands_for_what_was_seen() -> None:
    refused = line(
        7,
        What.IKE_PROPOSAL_REFUSED,
        version=1,
        mine=Proposal("", ("AES-CBC-256",), ("H",), ("F",), ("14", "curve"), lifetime_s=60),
    )
    made = picture(end("a", refused, UP), end("b", line(8, What.CHILD_PROPOSAL_REFUSED, theirs=THREE)))
    assert settings.standing_sheet(made, made.left) == SheetTunnel(
        "a-b", "b", ADDRESS["a"], ADDRESS["b"], 1, local_ts=("10.64.0.0/24",), remote_ts=("10.96.0.0/20",),
        ike_proposal=(SheetProposal(("AES-CBC-256",), ("H",), ("F",), (14, "curve"), 60),), esp_proposal=(SheetProposal(("3DES-CBC",)),),
    )  # fmt: skip
    own = picture(end("a", refused, **with_sheet("a")), end("b"))
    assert settings.standing_sheet(own, own.left) is own.left.sheet
