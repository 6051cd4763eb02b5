"""Whether a tunnel stands at all: what its tables do with packets is an effect of that, and no cause, while it is down."""

from __future__ import annotations

from stomion.diagnosis.runner import Diagnosis
from stomion.model.finding import Stage, Status
from stomion.model.tables import Origin
from stomion.tunnel.up import up_of

_BEFORE_ANY_PACKET = (Stage.UNDERLAY, Stage.IKE, Stage.CHILD, Stage.SELECTORS)


def down_words(diagnosis: Diagnosis) -> tuple[str, str]:
    """(that the tunnel is down and at which stage, what its tables tell then); both empty where it stands, or nothing tells."""
    first, picture = diagnosis.first_fault, diagnosis.picture
    stopped = first is not None and first.stage in _BEFORE_ANY_PACKET and diagnosis.status is Status.BROKEN
    up = up_of(picture)
    gone = up.ever and not up.now and any(e.has_log for e in picture.ends)
    if not stopped and not gone:
        return "", ""
    why = (
        f"The tunnel is down ({first.stage.value}): {first.summary}"
        if stopped and first
        else "The tunnel is down: its Child SA is gone."
    )
    seen = [
        e for e in picture.ends if e.tables is not None and e.tables.source is Origin.SYSTEM and not e.tables.policies
    ]
    if seen:
        names = " and ".join(e.title for e in seen)
        return (
            why,
            f"The tables of {names} were read without it: routes and policies of a tunnel come and go with its SA.",
        )
    return why, "What follows is what the tables would do with packets if it were up."
