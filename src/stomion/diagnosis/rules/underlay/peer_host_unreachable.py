"""A router on the way says that the peer cannot be reached."""

from __future__ import annotations

from stomion.diagnosis.rules.underlay.silence import unanswered
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage

SPEC = Spec(
    code="peer-host-unreachable",
    stage=Stage.UNDERLAY,
    title="A router says the peer is unreachable",
    means="Requests leave, and a router on the way answers that it cannot deliver them: the peer's address is wrong, or its machine or line is down.",
    decided="ICMP messages in a capture that quote the requests and say host or network unreachable (RFC 792, RFC 4443), with no answer of the peer.",
    example="203.0.113.1 says that 198.51.100.34 is unreachable.",
    explains=frozenset({"peer-silent", "baseline-fails", "peer-gone"}),
)


def judge(context: Context) -> Finding | None:
    silence = unanswered(context)
    told = [u for u in context.picture.unreachables if not u.port_closed]
    if silence is None or not told or silence.port_closed:
        return None
    other = context.picture.other(silence.asker)
    last = told[-1]
    return SPEC.finding(
        [other.site],
        Certainty.LIKELY,
        f"A router, {last.reporter}, says that {last.dst} is unreachable: {other.title} has another address, or is down.",
        [
            Remedy(other.site, f"see whether its gateway is up, and whether {last.dst} is its public address"),
            Remedy(silence.asker.site, f"or correct the peer address {last.dst}"),
        ],
        [last.where, *silence.places],
        {"reporter": last.reporter, "address": last.dst, "count": len(told)},
    )


RULE = Rule(SPEC, judge)
