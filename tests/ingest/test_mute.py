"""A log in words that nobody knows: it is shown, it proves nothing, and what would decide most stands first to be taught."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from stomion.ingest.textfile import TextFile
from stomion.jobs.examine import Examined
from stomion.jobs.wordings import wordings_of
from stomion.views.looked import looked_at, missing

Case = Callable[[dict[str, str | bytes]], Examined]
ATTEMPT = (
    "kiln south glazes towards 198.51.100.71",
    "kiln south frits with 198.51.100.71: AES-CBC-256 HMAC-SHA2-256 14",
    "kiln south cracked at 198.51.100.71, shard 3",
)
ELSE = ("bellows speed 4411", "sieve passed 9 grains from 203.0.113.77", "clay bin 3 filled")


def _log(*said: str, times: int = 6) -> str:
    lines = [
        f"2026-06-01 09:{n // 60:02d}:{n % 60:02d}.000 potter[{n % 9}]: {text}" for n, text in enumerate(said * times)
    ]
    return "\n".join(lines) + "\n"


TUNNEL = '[[tunnel]]\nname = "kiln"\nends = ["north", "south"]\n'


def test_a_log_in_unknown_words_is_one_and_its_end_stays_unseen(case: Case) -> None:
    examined = case({"case.toml": TUNNEL, "north/gateway.log": _log(*ATTEMPT, *ELSE)})
    assert [log.file for log in examined.evidence.logs] == ["north/gateway.log"]
    (tunnel,) = examined.tunnels
    assert tunnel.first_fault is None and looked_at(tunnel.picture) == ()
    assert "north/gateway.log in words that are understood" in missing(tunnel.picture)


@pytest.mark.parametrize(
    "text",
    [
        _log(*ELSE),  # nothing that only negotiations name
        "\n".join(ATTEMPT * 6),  # no times
        "AES-CBC-256 HMAC-SHA2-256 group 14\n",
    ],
)
def test_a_text_without_times_or_without_a_suite_is_none(case: Case, text: str) -> None:
    assert case({"north/gateway.log": text}).evidence.logs == []


def test_an_address_of_another_site_makes_it_one_too(case: Case) -> None:
    sheet = 'site = "south"\n[[interface]]\nname = "wan"\naddresses = ["198.51.100.71/28"]\n'
    evidence = case({"sites/south.toml": sheet, "north/gateway.log": _log(ATTEMPT[0], *ELSE)}).evidence
    assert [log.file for log in evidence.logs] == ["north/gateway.log"]


def test_wordings_beside_the_one_that_names_a_suite_stand_first(case: Case, tmp_path: Path) -> None:
    examined = case({"north/gateway.log": _log(*ELSE, *ELSE, *ATTEMPT)})
    text = TextFile(tmp_path / "case" / "north" / "gateway.log")
    found = [t.text for t in wordings_of(examined, "north/gateway.log", text).found]
    assert all("{peer}" in t and "grains" not in t for t in found[:3])
