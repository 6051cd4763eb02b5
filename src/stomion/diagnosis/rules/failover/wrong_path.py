"""The standby carries although nothing is wrong with the primary."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.counted import places
from stomion.tunnel.failover import carrier, pair_of
from stomion.tunnel.picture import Picture
from stomion.tunnel.up import up_at

SPEC = Spec(
    code="wrong-path",
    stage=Stage.FAILOVER,
    title="The standby carries while the primary is fine",
    means="Both tunnels stand, nothing tells of a failure, and yet the packets go over the standby: often because its SA was renewed last "
    "and took the traffic.",
    decided="Both tunnels' sheets name their roles; both ends' counters rise at the standby alone in the second half of the time, the "
    "primary's SA is there at both ends, and no event and no log tells of a link or a peer that was lost.",
    example="Petrel and Farlight send over the standby since its last rekey; the primary stands idle.",
)


def judge(context: Context) -> Finding | None:
    pair = pair_of(context.picture)
    if pair is None:
        return None
    primary, standby = pair
    if _troubled(primary) or not all(up_at(primary, end) for end in primary.ends):
        return None
    if any(carrier(primary, standby, end.site) is not standby for end in primary.ends):
        return None
    starter = next((e for e in primary.ends if e.sheet is not None and e.sheet.initiate == "always"), primary.left)
    return SPEC.finding(
        [e.site for e in primary.ends],
        Certainty.LIKELY,
        f"Both ends send over {standby.name} while {primary.name} stands and nothing tells of a failure.",
        [
            Remedy(
                starter.site,
                f"let {primary.name} be preferred: by its route's metric, or by selectors that only one of the two has at a time",
            )
        ],
        [p for end in primary.ends for p in places(end)],
        {"carries": standby.name},
    )


def _troubled(primary: Picture) -> bool:
    lost = any(m.what in ("peer-lost", "link-down", "tunnel-down") for m in primary.moves)
    told = any(e.story.lost or e.story.outages or e.story.silence or e.story.standing for e in primary.ends)
    return bool(primary.link_events) or lost or told


RULE = Rule(SPEC, judge)
