"""A gateway's own configuration among the evidence: what it sets up is said, nothing is concluded from it, and no key is shown."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from stomion.jobs.examine import Examined
from stomion.jobs.summary import summary_of

Case = Callable[[dict[str, str | bytes]], Examined]
TEXT = (
    "# own settings\nikev2 proposal first\n encryption aes-256\n integrity sha-256\n group 14\ntunnel to-birch\n"
    " peer 198.51.100.10\n psk hunter2-hunter3\n ike proposal first\n"
    " local net 10.1.0.0 255.255.255.0\n remote net 10.2.0.0 255.255.255.0\n"
)


@pytest.mark.parametrize("remark", ["", "# saved 2026-05-04 09:14:07 by duty\n"])
def test_a_configuration_is_named_with_what_it_sets_up(case: Case, remark: str) -> None:
    examined = case({"ash/settings.txt": remark + TEXT})
    (source,) = examined.evidence.sources
    assert (source.kind, source.used) == ("gateway's configuration", False)
    (problem,) = examined.evidence.problems
    assert (
        "to-birch to 198.51.100.10, 10.1.0.0/24 with 10.2.0.0/24" in problem.text
        and "stomion sheet draft" in problem.text
    )
    assert examined.evidence.logs == [] and examined.tunnels == ()
    assert "hunter" not in str(summary_of(examined))


@pytest.mark.parametrize(
    "text",
    [
        TEXT.replace("\n ", "\n2026-05-04T09:14:07Z ash "),  # what has times happened
        TEXT.replace("local net", "site net"),
        "tunnel to-birch\n peer 198.51.100.10\n",
        "tunnel to-birch\n peer 198.51.100.10\n local net 10.1.0.0/24\n remote net 10.2.0.0/24\n state up\n",
    ],
)
def test_other_texts_are_none(case: Case, text: str) -> None:
    assert not any(s.kind == "gateway's configuration" for s in case({"ash/settings.txt": text}).evidence.sources)


def test_many_tunnels_are_counted_and_names_steer_nothing(case: Case) -> None:
    head, tunnel = TEXT.split("tunnel ")
    text = head + "".join("tunnel " + tunnel.replace("to-birch", f"to-\x1b[31m{n}") for n in range(5))
    (problem,) = case({"ash/settings.txt": text}).evidence.problems
    assert "2 more" in problem.text and "\x1b" not in problem.text
