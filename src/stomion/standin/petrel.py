"""Petrel's drill: its line to Quayhead is cut, and Farlight takes over much later than the timers promise, as a timer holds the route."""

from __future__ import annotations

from functools import partial

from stomion.standin.chance import Chance
from stomion.standin.configuration import Peer, Session
from stomion.standin.counter import Counter, rfc3339
from stomion.standin.gateway import Gateway
from stomion.standin.network import Network
from stomion.standin.places import ADDRESSES, LANS

PROBE_S, TRIES, FIRST_S, FACTOR = 2.0, 3, 1.0, 1.6
"""Petrel's peer detection: how often it probes, how often it sends a probe at most, and its waits."""
HOLD_S = 45.0
"""What holds Petrel's route after the standby is up."""
CUT_S, MENDED_S, END_S = 300.0, 400.0, 440.0
PING_FROM_S, PING_EVERY_S = 285.0, 0.5
FAR_HOST = "10.96.0.10"


class Drill:
    """What Petrel does, and what a monitor writes down of it. `begin` is the demo's first moment."""

    def __init__(self, net: Network, begin: float, petrel: tuple[Gateway, Gateway], peers: tuple[Peer, Peer]) -> None:
        self._net, self._begin = net, begin
        self._petrel, self._peers = petrel, peers
        self._way: str | None = "quayhead-petrel"
        self._cut = False
        self.rows: list[dict[str, object]] = []

    def plan(
        self, pairs: tuple[tuple[Counter, Counter], tuple[Counter, Counter]], hubs: tuple[Gateway, Gateway]
    ) -> None:
        """Everything in its time: both tunnels' negotiations, the cut, the probes, the ping."""
        net, begin = self._net, self._begin
        net.at(begin + 18.0, partial(self._petrel[0].initiate, net, self._peers[0]))
        net.at(begin + CUT_S, self._cut_now)
        net.at(begin + MENDED_S, self._mend)
        for pair, hub, own, peer in zip(pairs, hubs, self._petrel, self._peers, strict=True):
            self._follow(pair, hub, own, peer)
        self._peers[0].on_lost = self._lost
        at = PING_FROM_S
        chance = Chance("petrel", "ping")
        number = 1
        while at < END_S:
            net.at(begin + at, partial(self._ping, number, chance, pairs))
            at, number = at + PING_EVERY_S, number + 1
        for moment in range(int(PING_FROM_S) - 5, int(END_S) + 1, 10):
            for counter in (*pairs[0], *pairs[1]):
                net.at(begin + moment + 0.2, partial(counter.read, begin + moment + 0.2))

    def _follow(self, pair: tuple[Counter, Counter], hub: Gateway, own: Gateway, peer: Peer) -> None:
        def up(session: Session) -> None:
            pair[0].fresh(session)
            self._event("tunnel-up", peer.tunnel)
            if peer is self._peers[1]:
                self._net.after(HOLD_S, partial(self._move, peer.tunnel))
            elif self._way != peer.tunnel:
                self._net.after(1.5, partial(self._move, peer.tunnel))

        peer.on_child = up
        hub.peers[own.address].on_child = pair[1].fresh

    def _event(self, what: str, subject: str = "", detail: str = "") -> None:
        row: dict[str, object] = {"kind": "event", "at": rfc3339(self._net.now), "site": "petrel", "what": what}
        self.rows.append(row | {"subject": subject, "detail": detail})

    def _cut_now(self) -> None:
        self._cut = True
        self._net.cut(self._petrel[0].address, ADDRESSES["quayhead"])
        self._event("link-down", "wan0")
        own = self._petrel[0]
        session = [s for s in own.sessions.values() if s.peer is self._peers[0]][-1]
        # The probe after the cut goes out when its turn comes.
        self._net.after(PROBE_S - 0.7, partial(own.probe, self._net, session))

    def _lost(self, _session: Session) -> None:
        self._event("peer-lost", self._peers[0].tunnel)
        self._event("tunnel-down", self._peers[0].tunnel)
        self._net.after(0.2, partial(self._petrel[1].initiate, self._net, self._peers[1]))

    def _move(self, tunnel: str) -> None:
        self._way = tunnel
        self._event("route-changed", LANS["quayhead"], f"through {tunnel}")
        self._event("role-active", tunnel)

    def _mend(self) -> None:
        self._cut = False
        self._net.mend(self._petrel[0].address, ADDRESSES["quayhead"])
        self._event("link-up", "wan0")
        self._net.after(3.0, partial(self._petrel[0].initiate, self._net, self._peers[0]))

    def _ping(
        self, number: int, chance: Chance, pairs: tuple[tuple[Counter, Counter], tuple[Counter, Counter]]
    ) -> None:
        """A probe over whichever tunnel the route leads into: it is lost where that is cut."""
        first = self._way == self._peers[0].tunnel
        out, far = pairs[0] if first else pairs[1]
        out.out += 1
        answered = not (first and self._cut)
        if answered:
            far.back, far.out, out.back = far.back + 1, far.out + 1, out.back + 1
        rtt = round(chance.between(41.0, 46.0) + (0.0 if first else 18.0), 1)
        self.rows.append({
            "kind": "ping", "at": rfc3339(self._net.now), "from": "petrel/host-b", "to": FAR_HOST, "seq": number,
            "rtt_ms": rtt if answered else None,
        })  # fmt: skip


def timed(peer: Peer) -> None:
    """Petrel's timers at one of its peers."""
    peer.tries, peer.base, peer.factor = TRIES, FIRST_S, FACTOR
