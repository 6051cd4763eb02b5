"""The stand-in network: the same seed gives the same bytes, real messages, sealed with real keys that appear nowhere."""

from __future__ import annotations

import pytest

from stomion.jobs.demo import demo_folder
from stomion.logs.understand import understand
from stomion.model.event import What
from stomion.model.provenance import Provenance
from stomion.standin.chance import Chance
from stomion.standin.demo import _psk, demo_files
from stomion.standin.dialects import LEDGERED, TALKATIVE, Dialect
from stomion.standin.secrets import exchange, prf_plus
from stomion.vocabulary.clean import clean

EXPECTED = {
    "initiate": (What.INITIATING, False),
    "asked": (What.ASKED, False),
    "agreed": (What.AGREED, False),
    "no-proposal": (What.IKE_PROPOSAL_REFUSED, False),
    "told-no-proposal": (What.IKE_PROPOSAL_REFUSED, True),
    "retry-group": (What.KE_RETRY, True),
    "again": (What.RESENT, False),
    "gave-up": (What.GAVE_UP, False),
    "auth-ok": (What.AUTH_OK, False),
    "bad-key": (What.KEY_REFUSED, False),
    "told-auth": (What.AUTH_REFUSED, True),
    "ike-up": (What.IKE_UP, False),
    "child-up": (What.CHILD_UP, False),
    "no-selectors": (What.SELECTORS_REFUSED, False),
    "told-selectors": (What.SELECTORS_REFUSED, True),
    "rekeyed": (What.CHILD_UP, False),
    "no-child": (What.CHILD_PROPOSAL_REFUSED, False),
    "told-no-child": (What.CHILD_PROPOSAL_REFUSED, True),
    "stranger": (What.NO_PEER, False),
    "initiate-v1": (What.INITIATING, False),
    "asked-v1": (What.ASKED, False),
    "garbled": (What.UNDECRYPTABLE, False),
}
FIELDS: dict[str, object] = {
    "tunnels": 3, "number": 7, "tunnel": "quayhead-marram", "peer": "198.51.100.34", "port": 500, "identity": "marram.lanternreef.example",
    "offer": "AES-GCM-16-256 · PRF HMAC-SHA2-384 · group 14", "allowed": "AES-GCM-16-256 · PRF HMAC-SHA2-384 · group 20",
    "suite": "AES-GCM-16-256 · PRF HMAC-SHA2-384 · group 20", "group": 20, "message": 0, "tries": 4, "lifetime": 28800,
    "spi_in": "c1a2b3d4", "spi_out": "0a0b0c0d", "old_in": "99887766", "local": "10.96.0.0/20", "remote": "10.66.0.0/21",
    "length": 6325, "asked_local": "10.96.0.0/20", "asked_remote": "10.66.0.0/22",
}  # fmt: skip


def test_the_demo_in_the_package_is_what_the_seed_gives() -> None:
    folder = demo_folder()
    made = demo_files()
    kept = {
        str(p.relative_to(folder)): p.read_bytes()
        for p in folder.rglob("*")
        if p.is_file() and "__pycache__" not in p.parts
    }
    assert kept == made
    assert demo_files("another seed") != made


def test_no_key_is_in_any_file() -> None:
    for name in ("quayhead-farlight", "quayhead-saltern", "quayhead-marram", "quayhead-driftwood"):
        key = _psk(name)
        assert not any(key in data for data in demo_files().values())


@pytest.mark.parametrize("dialect", [LEDGERED, TALKATIVE], ids=lambda d: d.name)
@pytest.mark.parametrize("event", EXPECTED)
def test_both_makes_are_understood_by_the_lexicon_alone(dialect: Dialect, event: str) -> None:
    line = dialect.line(1_777_886_047.0, "gw", event, FIELDS)
    assert line is not None
    found = understand(clean(line.split(": ", 1)[-1] if dialect is TALKATIVE else line), Provenance("x", line=1))
    assert found is not None
    assert (found.what, found.far) == EXPECTED[event]


@pytest.mark.parametrize("group", [14, 19, 20])
def test_both_ends_get_the_same_secret(group: int) -> None:
    a, b = exchange(group, Chance("a")), exchange(group, Chance("b"))
    assert a.shared(b.public) == b.shared(a.public)


def test_key_expansion_is_one_stream() -> None:
    """RFC 7296 2.13: a longer output begins with the shorter one."""
    assert prf_plus(5, b"k", b"seed", 100)[:40] == prf_plus(5, b"k", b"seed", 40)
