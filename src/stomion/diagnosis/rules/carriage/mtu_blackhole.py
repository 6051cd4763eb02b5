"""Large packets vanish on the way."""

from __future__ import annotations

from stomion.crypto.espsize import segment, wrap_of
from stomion.diagnosis.agreed import agreed_proposals
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.measure.carriage import size_limit
from stomion.model.finding import PATH, Certainty, Finding, Remedy, Stage
from stomion.model.provenance import Provenance
from stomion.model.record import LARGE
from stomion.tunnel.attempts import Attempt, latest, sender
from stomion.tunnel.picture import End, Picture
from stomion.tunnel.settings import Layer

SPEC = Spec(
    code="mtu-blackhole",
    stage=Stage.CARRIAGE,
    title="Large packets are lost",
    means="Small packets pass the tunnel and large ones vanish: a link on the way takes smaller packets than the ends believe, and nothing tells them. Ping works, transfers hang.",
    decided="The captures of both ends are compared by packet size: up to a size ESP arrives, above it none does. Or of pings that may not be fragmented the small ones are answered and all larger ones are not.",
    explains=frozenset({"test-fails-unexplained", "packet-loss"}),
    example="ESP of up to 1,080 bytes passes between Quayhead and Marram; none of 1,320 bytes and more arrives.",
)


def judge(context: Context) -> Finding | None:
    if context.cause is not None and not context.cause.declared:
        return None
    picture = context.picture
    for seen in picture.esp_seen:
        limit = size_limit(seen.sent, seen.got) if seen.got is not None else None
        if limit is None:
            continue
        sender, receiver = picture.ends if seen.from_left else picture.ends[::-1]
        inner = _inner(picture, limit.passes)
        value = (
            f"set the tunnel's MTU to {inner:,} and clamp TCP's segment size to {segment(inner):,}"
            if inner
            else f"lower the tunnel's MTU below {limit.lost_from:,} bytes of ESP, and clamp TCP's segment size"
        )
        return SPEC.finding(
            [PATH],
            Certainty.PROVEN,
            f"ESP of up to {limit.passes:,} bytes passes from {sender.title} to {receiver.title}; none of the {limit.lost} packets of "
            f"{limit.lost_from:,} bytes and more arrives.",
            [
                Remedy(PATH, "repair the path, or let its ICMP messages about packet sizes pass"),
                Remedy(sender.site, f"until then {value}"),
            ],
            [Provenance(f, sender.site) for f in seen.files],
            {
                "passes": limit.passes,
                "lost_from": limit.lost_from,
                "lost": limit.lost,
                "direction": f"{sender.site}-to-{receiver.site}",
                **({"mtu": inner, "mss": segment(inner)} if inner else {}),
            },
        )
    return _by_tests(context)


def _by_tests(context: Context) -> Finding | None:
    """From pings of several sizes between the same two hosts: all up to one size are answered, none of a larger one is."""
    tried: dict[tuple[str, str], list[Attempt]] = {}
    for attempt in latest(context.picture):
        if attempt.expected and attempt.service in ("", "icmp") and not attempt.lossy:
            tried.setdefault((attempt.who, attempt.to), []).append(attempt)
    for (who, to), rows in tried.items():
        small = [a for a in rows if a.passes]
        large = [a for a in rows if a.silent and a.size >= LARGE and a.error != "too-big"]
        if not small or not large:
            continue
        passes, lost = max(a.size or USUAL for a in small), min(a.size for a in large)
        if passes >= lost:
            continue
        start = sender(context.picture, large[0])
        return _found_by(start, who, to, passes, lost, [*small, *large])
    return None


USUAL = 84
"""Bytes of a ping's packet where nobody gave its size."""
CLOSE = 200
"""Bytes between the largest that passes and the smallest that is lost within which the value to set is known."""


def _found_by(start: End, who: str, to: str, passes: int, lost: int, rows: list[Attempt]) -> Finding:
    value = (
        f"set the tunnel's MTU to {passes:,} and clamp TCP's segment size to {segment(passes):,}"
        if lost - passes <= CLOSE
        else f"find the limit between {passes:,} and {lost:,} bytes with further sizes; then set the tunnel's MTU and clamp TCP's segment size"
    )
    return SPEC.finding(
        [PATH],
        Certainty.LIKELY,
        f"Pings of up to {passes:,} bytes from {who} to {to} are answered, those of {lost:,} bytes and more are not, and nothing tells the sender why.",
        [
            Remedy(PATH, "let ICMP's messages about packet sizes pass, and find the link that takes no more"),
            Remedy(start.site, f"until then {value}"),
        ],
        [a.where for a in sorted(rows, key=lambda a: a.size)],
        {"passes_inner": passes, "lost_from_inner": lost, "from": who, "to": to},
    )


def _inner(picture: Picture, esp: int) -> int:
    """The largest packet whose ESP is no larger than what passes, by the proposal both ends agree on; 0 where none is known."""
    agreed = agreed_proposals(picture, Layer.CHILD)
    if not agreed or not agreed[0][0].encryption:
        return 0
    proposal = agreed[0][0]
    try:
        return wrap_of(proposal.encryption[0], next(iter(proposal.integrity), "")).largest_of_esp(esp)
    except ValueError:
        return 0


RULE = Rule(SPEC, judge)
