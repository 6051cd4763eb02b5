"""A gateway does something other than its sheet says."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec, listed, sheet_place
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.model.provenance import Provenance
from stomion.tunnel.picture import End, Picture
from stomion.tunnel.settings import Layer, seen

SPEC = Spec(
    code="sheet-not-in-force",
    stage=Stage.IKE,
    title="A gateway does not do what its sheet says",
    means="What a gateway offers on the wire is not what its sheet declares: the sheet is out of date, or the change was never "
    "applied. Whatever is worked out from the sheet may be wrong.",
    decided="The last offer that the gateway sent names a cipher or a group that its sheet lacks, or lacks one that the sheet names.",
    example="Quayhead offers group 14; its sheet says 20.",
    caution=True,
)


def judge(context: Context) -> Finding | None:
    for end in context.picture.ends:
        found = _difference(context.picture, end)
        if found is not None:
            words, where = found
            return SPEC.finding(
                [end.site],
                Certainty.PROVEN,
                f"{end.title} {words}.",
                [Remedy(end.site, "apply what the sheet says, or correct the sheet")],
                [where, sheet_place(end)],
            )
    return None


def _difference(picture: Picture, end: End) -> tuple[str, Provenance | None] | None:
    """What the wire shows of this end against its sheet, in words."""
    if not end.ike_proposals or picture.last is None or picture.last.initiator not in end.addresses:
        return None
    shown = seen(picture, end, Layer.IKE)
    for kind, word in (("encryption", ""), ("group", "group ")):
        sent = {v for p in shown.value for v in p.values(kind)}
        declared = {v for p in end.ike_proposals for v in p.values(kind)}
        if sent and declared and sent != declared:
            ours, theirs = (word + listed(sorted(values)) for values in (sent, declared))
            return f"offers {ours}; its sheet says {theirs}", shown.where
    return None


RULE = Rule(SPEC, judge)
