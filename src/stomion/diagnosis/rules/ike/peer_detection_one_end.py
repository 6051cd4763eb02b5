"""Only one end watches whether its peer is still there."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage

SPEC = Spec(
    code="peer-detection-one-end",
    stage=Stage.IKE,
    title="Only one end watches its peer",
    means="The end that watches notices within seconds that the other is gone and starts anew. The other keeps a dead SA and sends into "
    "it until the SA's lifetime ends (RFC 7296, section 2.4).",
    decided="Both sheets are there; one of them declares peer detection and the other does not.",
    example="Quayhead probes its peer every 10 s; Marram's sheet has no peer detection.",
    caution=True,
)


def judge(context: Context) -> Finding | None:
    watching = [end for end in context.picture.ends if end.sheet is not None and end.sheet.dpd is not None]
    sheets = [end for end in context.picture.ends if end.sheet is not None]
    if len(sheets) != 2 or len(watching) != 1:
        return None
    watcher = watching[0]
    blind = context.picture.other(watcher)
    dpd = watcher.sheet.dpd if watcher.sheet is not None else None
    every = f" every {dpd.interval_s:g} s" if dpd is not None and dpd.interval_s else ""
    return SPEC.finding(
        [blind.site],
        Certainty.PROVEN,
        f"{watcher.title} probes its peer{every}; {blind.title}'s sheet has no peer detection: after an outage it keeps a dead SA.",
        [
            Remedy(
                blind.site,
                f"switch peer detection on, {every.strip() or 'at the same interval'} as {watcher.title} does",
            )
        ],
        [blind.sheet_at("name"), watcher.sheet_at("dpd")],
    )


RULE = Rule(SPEC, judge)
