"""How long a failover ought to take, from the timers that are declared or seen: peer detection, retransmission, negotiation, route."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

from stomion.model.event import What
from stomion.tunnel.failover import Switch
from stomion.tunnel.picture import End, Picture

USUAL_NEGOTIATION_S = 0.5
"""Of an IKE SA with its child where none was seen: four messages and their arithmetic."""


@dataclass(frozen=True, slots=True)
class Backoff:
    """Retransmission as it was seen: seconds before the first repetition, the factor of each further wait, and repetitions in all
    (RFC 7296 2.1 leaves them to the sender)."""

    first_s: float
    factor: float
    tries: int

    @property
    def whole_s(self) -> float:
        """From the first sending to giving up: the last wait counts as well."""
        return sum(self.first_s * self.factor**n for n in range(self.tries + 1))


@dataclass(frozen=True, slots=True)
class Prediction:
    """Seconds, best and worst, of the parts of an outage and of the whole; `words` tell what they rest on."""

    detect: tuple[float, float]
    negotiate_s: float
    words: str
    backoff: Backoff | None = None
    interval_s: float = 0.0
    tries: int = 0

    @property
    def whole(self) -> tuple[float, float]:
        """Of the whole outage. The route is moved at once: nothing declares that it waits."""
        return self.detect[0] + self.negotiate_s, self.detect[1] + self.negotiate_s

    def with_timers(self, interval_s: float, tries: int) -> Prediction:
        """The same with another interval of peer detection and another number of repetitions."""
        backoff = Backoff(self.backoff.first_s, self.backoff.factor, tries) if self.backoff else None
        least = backoff.whole_s if backoff else interval_s * tries
        words = f"probes every {interval_s:g} s, {tries} tr{'y' if tries == 1 else 'ies'}"
        return Prediction((least, least + interval_s), self.negotiate_s, words, backoff, interval_s, tries)


def backoff_of(end: End, switch: Switch) -> Backoff | None:
    """From the repetitions in an end's log right before it gave the peer up; None where it tells of less than two steps."""
    if switch.loss is None:
        return None
    rows = [e for e in end.events if e.at is not None and switch.loss - EARLY_S <= e.at <= switch.detected + LATE_S]
    given_up = next((e for e in reversed(rows) if e.what is What.GAVE_UP), None)
    if given_up is None or given_up.at is None:
        return None
    again = [e.at for e in rows if e.what is What.RESENT and e.sa == given_up.sa and e.at and e.at <= given_up.at]
    times = [*sorted(set(again)), given_up.at]
    sent = [e.at for e in rows if e.what is What.SENT and e.sa == given_up.sa and e.at and e.at < times[0]]
    gaps = [b - a for a, b in pairwise([*sent[-1:], *times]) if b - a > LEAST_GAP_S]
    if len(gaps) < len(("first", "second")):
        return None
    factor = gaps[-1] / gaps[-2]
    if not LEAST_FACTOR <= factor <= MOST_FACTOR:
        return None
    # Where the first sending is not in the log, the first wait is worked out from the next one.
    return Backoff(gaps[0] if sent else gaps[0] / factor, factor, len(gaps) - bool(sent))


EARLY_S, LATE_S = 10.0, 1.0
"""Seconds around an outage in which the probe that found it may have been sent, and given up."""
LEAST_GAP_S = 0.05
LEAST_FACTOR, MOST_FACTOR = 0.9, 4.0
"""Of two waits after each other that belong to one series of repetitions."""


def predicted(primary: Picture, standby: Picture, switch: Switch) -> Prediction | None:
    """None where no peer detection is declared at the site that switched."""
    end = next(e for e in primary.ends if e.site == switch.site)
    dpd = end.sheet.dpd if end.sheet is not None else None
    if dpd is None or not dpd.interval_s:
        return None
    backoff = backoff_of(end, switch)
    tries = dpd.retries or (backoff.tries if backoff else 0)
    if backoff is not None and dpd.retries:
        backoff = Backoff(backoff.first_s, backoff.factor, dpd.retries)
    least = backoff.whole_s if backoff else dpd.interval_s * tries
    words = f"probes every {dpd.interval_s:g} s" + (f", {tries} tr{'y' if tries == 1 else 'ies'}" if tries else "")
    if backoff is not None:
        words += f", waits of {backoff.first_s:.2g} s times {backoff.factor:.2g}"
    standing = switch.up is None or (switch.loss is not None and switch.up <= switch.loss)
    negotiate = 0.0 if standing else _negotiation(primary, standby, switch)
    return Prediction((least, least + dpd.interval_s), negotiate, words, backoff, dpd.interval_s, tries)


@dataclass(frozen=True, slots=True)
class Part:
    """One part of an outage: its name, its seconds, and by how much it is longer than its timers promise."""

    name: str
    seconds: float
    over: float


def parts_of(switch: Switch, prediction: Prediction | None) -> tuple[Part, ...]:
    """`detection`, `negotiation`, `route` and `return`, in their order, as far as their moments are known."""
    worst = prediction.detect[1] if prediction else UNTIMED_S
    if prediction is not None and prediction.backoff is None:
        # How long the repetitions wait is the sender's own matter: only what is far beyond any of it speaks.
        worst *= UNSEEN_FACTOR
    found = []
    if switch.loss is not None:
        seconds = switch.detected - switch.loss
        found.append(Part("detection", seconds, seconds - worst))
    ready = switch.detected
    if switch.up is not None and switch.up > ready:
        usual = prediction.negotiate_s if prediction else USUAL_NEGOTIATION_S
        found.append(Part("negotiation", switch.up - ready, switch.up - ready - usual))
        ready = switch.up
    if switch.moved is not None and switch.carried and not switch.roughly:
        found.append(Part("route", max(switch.moved - ready, 0.0), switch.moved - ready))
        ready = max(ready, switch.moved)
    if switch.restored is not None:
        found.append(Part("return", max(switch.restored - ready, 0.0), switch.restored - ready))
    return tuple(found)


UNTIMED_S = 60.0
"""Seconds after which a loss ought to be found where no peer detection is declared."""
UNSEEN_FACTOR = 4.0
"""Of what interval and tries alone promise, where the repetitions were not seen."""


def _negotiation(primary: Picture, standby: Picture, switch: Switch) -> float:
    """The shortest that was seen at the site, from the first message to the child."""
    found = []
    for picture in (primary, standby):
        end = next((e for e in picture.ends if e.site == switch.site), None)
        begun: dict[str | None, float] = {}
        for event in end.events if end is not None else ():
            if event.at is None:
                continue
            if event.what is What.INITIATING:
                begun.setdefault(event.sa, event.at)
            elif event.what is What.CHILD_UP and event.sa in begun:
                found.append(event.at - begun.pop(event.sa))
    return max(min((f for f in found if f >= 0), default=USUAL_NEGOTIATION_S), 0.0)
