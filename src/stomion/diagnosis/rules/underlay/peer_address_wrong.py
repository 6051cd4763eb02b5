"""The configured peer address is nobody's."""

from __future__ import annotations

from stomion.diagnosis.rules.underlay.silence import wrong_address
from stomion.diagnosis.spec import Context, Rule, Spec, sheet_place
from stomion.model.finding import Certainty, Finding, Remedy, Stage

SPEC = Spec(
    code="peer-address-wrong",
    stage=Stage.UNDERLAY,
    title="The peer address is wrong",
    means="An end sends to an address that is not the other end's, so that nobody answers or somebody else does.",
    decided="The sheet's peer address is none of the addresses that the other end's own evidence shows, and no site of the case has it; nothing that came up contradicts it.",
    example="Quayhead asks 198.51.100.43; Marram is 198.51.100.34.",
)


def judge(context: Context) -> Finding | None:
    found = wrong_address(context)
    if found is None:
        return None
    end, declared = found
    other = context.picture.other(end)
    return SPEC.finding(
        [end.site],
        Certainty.PROVEN if other.sheet else Certainty.LIKELY,
        f"{end.title} sends to {declared}; {other.title}'s address is {other.address}.",
        [Remedy(end.site, f"set the peer address to {other.address}")],
        [sheet_place(end), sheet_place(other), *(e.where for e in end.story.silence[-1:])],
        {"declared": declared, "actual": other.address},
    )


RULE = Rule(SPEC, judge)
