"""What two gateways said to each other on the wire, as negotiations, within bounds."""

from __future__ import annotations

from collections.abc import Iterator

from stomion.exchange.negotiation import Negotiation, Post, assemble
from stomion.model.datagrams import Gathered
from stomion.model.provenance import Problem
from stomion.tunnel.index import Index
from stomion.tunnel.picture import Picture

MOST_MESSAGES, MOST_SAS = 500_000, 20_000
"""Of one tunnel: its first and its last ones, half of each."""
SPI = 8


def negotiations_of(ends: Picture, index: Index) -> tuple[Negotiation, ...]:
    """All negotiations of a tunnel. What is over a bound is left out and said."""
    watched = {c.site for c in index.evidence.captures if c.packets}
    posts = tuple(Post(e.site, e.addresses, e.site in watched) for e in ends.ends)
    messages = index.between(ends.left.addresses, ends.right.addresses)
    for text in (*_few_messages(messages), *_few_sas(messages)):
        index.evidence.problems.append(Problem(messages.first.where.file, f"{text} of {ends.name} are not looked at"))
    return tuple(assemble(messages, index.evidence.keys, posts))


def _few_messages(messages: Gathered) -> Iterator[str]:
    left_out = messages.ends_of(MOST_MESSAGES)
    if left_out:
        yield f"{left_out:,} messages between the first and the last"


def _few_sas(messages: Gathered) -> Iterator[str]:
    """An SA costs far more than its messages do; one that fails again and again is not better known by its thousands in the middle."""
    if len(messages) <= MOST_SAS:
        return
    spis = list(dict.fromkeys(messages.beginnings(SPI)))
    over = len(spis) - MOST_SAS
    if over > 0:
        half = MOST_SAS // 2
        unwanted = set(spis[MOST_SAS - half : len(spis) - half])
        messages.only(spi not in unwanted for spi in messages.beginnings(SPI))
        yield f"{over:,} IKE SAs between the first and the last"
