"""A test went to an address that no host can have."""

from __future__ import annotations

import ipaddress

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.flows import flow_text
from stomion.tunnel.picture import End

SPEC = Spec(
    code="wrong-target",
    stage=Stage.TRAFFIC,
    title="The test asked the wrong address",
    means="A subnet's own address or its broadcast address was pinged: no host answers there, and the tunnel is not to blame.",
    decided="The target of a failed test is the first or the last address of a network behind the far end.",
    example="Somebody pinged 10.78.0.0, the network's own address.",
    caution=True,
)


def judge(context: Context) -> Finding | None:
    for test in context.picture.tests:
        if test.passed or not test.expected:
            continue
        end = context.picture.right if test.from_left else context.picture.left
        kind = _kind(test.to, end)
        if not kind:
            continue
        start = context.picture.other(end)
        return SPEC.finding(
            [start.site],
            Certainty.PROVEN,
            f"{flow_text(test)} asks {kind} behind {end.title}: no host answers there.",
            [Remedy(start.site, f"ask a host behind {end.title} that is known to be alive")],
            [test.where],
            {"target": test.to, "kind": kind},
        )
    return None


def _kind(address: str, end: End) -> str:
    """`the network's own address` or `the broadcast address`, where it is one of a network behind this end."""
    texts = set(end.networks) | set(end.sheet.local_ts if end.sheet else ())
    for text in texts:
        try:
            network, target = ipaddress.ip_network(text, strict=False), ipaddress.ip_address(address)
        except ValueError:
            continue
        if network.version != 4 or target.version != 4 or network.prefixlen > 30:
            continue
        if target == network.network_address:
            return "the network's own address"
        if target == network.broadcast_address:
            return "the broadcast address"
    return ""


RULE = Rule(SPEC, judge)
