"""Neither end has an address that can be reached over the internet."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.space.ranges import PRIVATE, common
from stomion.tunnel.up import up_of

SPEC = Spec(
    code="no-public-end",
    stage=Stage.UNDERLAY,
    title="Neither end has a public address",
    means="Both ends are set to private addresses, for themselves and for the peer (RFC 1918, RFC 4193). Over the internet neither can be "
    "asked. It is right only where a network of your own joins the two.",
    decided="Both sheets name private addresses as `local` and as `peer`, and nothing shows that the tunnel was ever up.",
    example="Quayhead (10.70.0.2) and Marram (10.71.0.2) are to reach each other by private addresses.",
    caution=True,
)


def judge(context: Context) -> Finding | None:
    left, right = context.picture.ends
    if left.sheet is None or right.sheet is None or up_of(context.picture).ever:
        return None
    named = [left.sheet.local, left.sheet.peer, right.sheet.local, right.sheet.peer]
    if not all(common([address], PRIVATE) for address in named):
        return None
    starter = next((e for e in context.picture.ends if e.sheet is not None and e.sheet.initiate == "never"), right)
    asked, asks = starter, context.picture.other(starter)
    return SPEC.finding(
        [left.site, right.site],
        Certainty.LIKELY,
        f"{left.title} ({left.sheet.local}) and {right.title} ({right.sheet.local}) both have private addresses only: over the internet "
        "neither can be asked.",
        [
            Remedy(
                asked.site,
                "get a public address, or have the router before it forward UDP 500 and 4500 from its public address",
            ),
            Remedy(asks.site, f"set the public address of {asked.title} as peer, and start the tunnel from here"),
        ],
        [left.sheet_at("local"), right.sheet_at("local")],
    )


RULE = Rule(SPEC, judge)
