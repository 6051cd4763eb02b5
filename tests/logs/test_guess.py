"""Lines with a word that nobody knows: their topic, tone and place tell what they refuse, which is no more than possible."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from stomion.jobs.examine import Examined
from stomion.logs.guess import hint_of, is_grave, may_refuse
from stomion.logs.reader import read_log
from stomion.model.event import Event, What
from stomion.model.finding import Certainty

Case = Callable[[dict[str, str | bytes]], Examined]
PEER = "203.0.113.9"
ASKED = f"The peer {PEER} starts a negotiation (IKE version 2)."
AGREED = f"Proposal agreed with {PEER}: AES-CBC-256, HMAC-SHA2-256-128, group 14."
IKE_UP = f"The IKE SA with {PEER} is established."
CHILD_UP = f"The child SA with {PEER} is established, in 1a2b3c4d out 5e6f7a8b."


def _events(*lines: str) -> list[Event]:
    numbered = ((n, f"2026-05-04T09:00:{n:02d}Z gw {line}") for n, line in enumerate(lines, 1))
    return list(read_log(numbered, "gateway.log", "ash", year=2026))


def _guessed(*lines: str) -> list[tuple[What, bool, int | None]]:
    return [(e.what, e.far, e.where.line) for e in _events(*lines) if e.guessed]


@pytest.mark.parametrize(
    ("line", "what", "far"),
    [
        (f"The peer {PEER} could wibble not prove knowledge of the shared phrase.", What.KEY_REFUSED, False),
        (f"error: {PEER} computed its proof from another secret wibbled.", What.KEY_REFUSED, False),
        (f"error: {PEER} introduces wibbled as a.ash.example, this tunnel awaits b.ash.example, not that.", What.IDENTITY_REFUSED, False),
        (f"problem: {PEER} insists on main mode, which is wibbled here", What.MODE_REFUSED, False),
        (f"The exchange was broken off by the peer {PEER}: wibbled", What.PROPOSAL_REFUSED, True),
        (f"error: the certificate of {PEER} is not wibbled", What.CERTIFICATE_REFUSED, False),
    ],
)  # fmt: skip
def test_the_end_of_an_attempt_that_came_to_nothing(line: str, what: What, far: bool) -> None:
    found = _events(ASKED, line)
    assert [(e.what, e.far) for e in found if e.what is not What.ASKED] == [(what, far)]
    assert found[-1].guessed or what in (What.KEY_REFUSED, What.CERTIFICATE_REFUSED)


STRANGE = f"error: {PEER} has not wibbled its identity"


def test_where_a_guess_stands_and_what_it_gives_way_to() -> None:
    assert _guessed(ASKED, STRANGE) == [(What.IDENTITY_REFUSED, False, 2)]
    # Nothing ever stood, and a grave line speaks for itself; one that is not grave does not.
    assert _guessed(STRANGE) == [(What.IDENTITY_REFUSED, False, 1)]
    assert _guessed(STRANGE.removeprefix("error: ")) == []
    assert _guessed(IKE_UP, CHILD_UP, f"The peer {PEER} closed the child SA.", STRANGE) == []
    # A reason is understood; everything came up.
    assert _guessed(ASKED, STRANGE, f"{PEER}: we accept none of its proposals") == []
    assert _guessed(ASKED, STRANGE, IKE_UP, CHILD_UP) == []
    # Another attempt, which went well.
    assert _guessed(ASKED, STRANGE, ASKED, AGREED, IKE_UP, CHILD_UP) == []
    # A tunnel that stands, of which something sounds grave.
    assert _guessed(ASKED, IKE_UP, CHILD_UP, f"error: route to the network of {PEER} not wibbled") == []
    # Its key was proved.
    proved = f"The peer {PEER} is authenticated by its pre-shared key."
    assert _guessed(ASKED, f"error: {PEER} holds another secret wibbled", proved) == []
    # The last one did not.
    assert _guessed(ASKED, IKE_UP, CHILD_UP, ASKED, STRANGE) == [(What.IDENTITY_REFUSED, False, 5)]
    # Another peer's attempt.
    assert _guessed(ASKED.replace(PEER, "203.0.113.77"), STRANGE.removeprefix("error: ")) == []


def test_a_field_that_every_line_has_is_no_topic() -> None:
    fields = f'text="phase 1 step" peer={PEER} mode=main way=out step=1 role=initiator outcome=failed'
    assert _guessed(ASKED, fields, fields) == [(What.PROPOSAL_REFUSED, True, 3)]


def test_what_was_agreed_on_is_not_what_is_refused() -> None:
    refused = f"The exchange was broken off by the peer {PEER}: wibbled"
    assert _guessed(ASKED, refused) == [(What.PROPOSAL_REFUSED, True, 2)]
    assert _guessed(ASKED, AGREED, refused) == [(What.AUTH_REFUSED, True, 3)]


def test_two_pairs_of_networks_that_differ_are_refused_in_any_words() -> None:
    pairs = 'theirs="10.1.0.0-10.1.0.255 = 10.2.0.0-10.2.0.255" mine="10.1.5.0-10.1.5.255 = 10.2.0.0-10.2.0.255"'
    line = f'step="p2" status="denied" reason="wibbled" far="{PEER}" {pairs}'
    assert [e.what for e in _events(ASKED, IKE_UP, line)] == [What.ASKED, What.IKE_UP, What.SELECTORS_REFUSED]
    assert _events(line.replace("10.1.5", "10.1.0")) == []


@pytest.mark.parametrize(
    "line",
    [
        f"{PEER}: no certificate request, going on without",
        f"{PEER} and we have agreed on AES without a further key exchange",
        f"login of admin from {PEER} denied: wrong password",
        f"{PEER}: 12 octets in, 14 out",
        f"{PEER}: traffic selectors taken as offered",
    ],
)
def test_what_refuses_nothing(line: str) -> None:
    assert _guessed(ASKED, line) == []
    assert not may_refuse(line.lower()) or hint_of(line) is None or not hint_of(line).refuses  # type: ignore[union-attr]


def test_how_grave_a_line_is_by_its_own_word() -> None:
    assert [is_grave(x) for x in ("<139>1 x", "<142>1 x", '{"gravity": "problem"}', 'lvl="3" x', 'lvl="6" x', "x")] == [
        True, False, True, True, False, False,
    ]  # fmt: skip


def _case(ash: list[str], birch: list[str]) -> dict[str, str | bytes]:
    files: dict[str, str | bytes] = {}
    sides = (("ash", "192.0.2.4", PEER, ash), ("birch", PEER, "192.0.2.4", birch))
    for site, own, peer, lines in sides:
        far = "birch" if site == "ash" else "ash"
        ends = f'peer_site = "{far}"\nlocal = "{own}"\npeer = "{peer}"\n'
        files[f"sites/{site}.toml"] = f'site = "{site}"\n[[tunnel]]\nname = "t"\n{ends}'
        if lines:
            files[f"{site}/ike.log"] = "".join(f"2026-05-04T09:00:{n:02d}Z gw {x}\n" for n, x in enumerate(lines))
    return files


def test_a_finding_that_is_guessed_is_possible_and_names_its_line(case: Case) -> None:
    (diagnosis,) = case(_case([ASKED, STRANGE], [])).tunnels
    fault = diagnosis.first_fault
    assert fault is not None
    assert (fault.code, fault.certainty) == ("identity-mismatch", Certainty.POSSIBLE)
    assert "ash/ike.log:2 says is not understood" in fault.detail
    assert fault.facts["guessed_from"] == "ash/ike.log:2"


def test_a_guess_is_the_reason_of_a_bare_refusal_and_no_other(case: Case) -> None:
    begun = "Starting a negotiation with the peer 192.0.2.4 (IKE version 2)."
    auth = "received AUTHENTICATION_FAILED from 192.0.2.4"
    (diagnosis,) = case(_case([ASKED, STRANGE], [begun, auth])).tunnels
    assert diagnosis.first_fault is not None
    assert diagnosis.first_fault.code == "identity-mismatch"
    selectors = "received TS_UNACCEPTABLE from 192.0.2.4, no child"
    (diagnosis,) = case(_case([ASKED, STRANGE], [begun, selectors])).tunnels
    assert diagnosis.first_fault is not None
    assert diagnosis.first_fault.code == "selectors-unacceptable"


def test_a_child_that_is_agreed_on_makes_earlier_refusals_history(case: Case) -> None:
    refused = f"The pre-shared key of {PEER} does not match ours"
    child = f"Child proposal agreed with {PEER}: AES-CBC-256, HMAC-SHA2-256-128."
    (diagnosis,) = case(_case([ASKED, AGREED, refused, ASKED, AGREED, child], [])).tunnels
    assert diagnosis.first_fault is None
