"""One cause at a hub that breaks several tunnels is said once."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from stomion.cli.text import check_text
from stomion.diagnosis.together import common_causes
from stomion.jobs.examine import Examined
from stomion.jobs.summary import summary_of
from stomion.tui.pages import grouped

Case = Callable[[dict[str, str | bytes]], Examined]
TUNNEL = """[[tunnel]]
name = "{name}"
peer_site = "{far}"
local = "{local}"
peer = "{peer}"
ike = 2
local_ts = ["{here}"]
remote_ts = ["{there}"]
[[tunnel.ike_proposal]]
encryption = ["AES-CBC-256"]
integrity = ["HMAC-SHA2-256-128"]
group = [{group}]
"""


def _hub(count: int, odd: int = 0) -> dict[str, str | bytes]:
    """A hub with group 19 and spokes with 14; the last `odd` ones agree with it."""
    hub, files = 'site = "hub"\n', {}
    for n in range(count):
        spoke, address, lan = f"spoke{n}", f"198.51.100.{10 + n}", f"10.{20 + n}.0.0/24"
        hub += TUNNEL.format(
            name=f"hub-{spoke}", far=spoke, local="192.0.2.1", peer=address, here="10.1.0.0/24", there=lan, group=19
        )
        group = 19 if n >= count - odd else 14
        text = TUNNEL.format(
            name=f"hub-{spoke}", far="hub", local=address, peer="192.0.2.1", here=lan, there="10.1.0.0/24", group=group
        )
        files[f"sites/{spoke}.toml"] = f'site = "{spoke}"\n{text}'
    return {"sites/hub.toml": hub, **files}


@pytest.mark.parametrize(
    ("count", "odd", "says"),
    [
        (4, 0, "All 4 tunnels of Hub have one cause: offer group 14, at Hub"),
        (5, 1, "4 of 5 tunnels of Hub have one cause"),
        (2, 0, ""),
    ],
)
def test_one_cause_is_said_once(case: Case, count: int, odd: int, says: str) -> None:
    examined = case(_hub(count, odd))
    found = common_causes(examined.worst_first())
    assert [c.says.startswith(says) for c in found if c.site == "hub"] == ([True] if says else [])
    text = check_text(summary_of(examined))
    assert (says in text) is True
    assert f"{count} tunnels: " in text


def test_the_list_folds_them_under_one_heading(case: Case) -> None:
    rows = grouped.rows_of(case(_hub(5, 1)).worst_first(), "by cause")
    headings = [(r.name, r.count) for r in rows if isinstance(r, grouped.Heading)]
    assert headings == [("Hub: offer group 14", 4), ("no fault", 1)]
