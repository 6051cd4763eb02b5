"""How the stand-in gateways word their logs. Two makes that share no sentence, so that nothing is tuned to one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime


@dataclass(frozen=True, slots=True)
class Dialect:
    """`stamp` makes the beginning of a line from the time and the gateway's name; `words` are templates per event."""

    name: str
    stamp: Callable[[float, str], str]
    words: dict[str, str]

    def line(self, at: float, gateway: str, event: str, fields: dict[str, object]) -> str | None:
        """The line for an event; None where this make says nothing about it."""
        template = self.words.get(event)
        return self.stamp(at, gateway) + template.format(**fields) if template else None


def _iso(at: float, gateway: str) -> str:
    moment = datetime.fromtimestamp(at, UTC)
    return f"{moment:%Y-%m-%dT%H:%M:%S}.{moment.microsecond // 1000:03d}Z {gateway} ike "


def _classic(at: float, gateway: str) -> str:
    moment = datetime.fromtimestamp(at, UTC)
    return f"{moment:%b} {moment.day:2d} {moment:%H:%M:%S} {gateway} sealkeeper[412]: "


LEDGERED = Dialect(
    "ledgered",
    _iso,
    {
        "start": "service ready, {tunnels} tunnels in the configuration",
        "initiate": "[{number}] tunnel {tunnel}: initiating IKEv2 to {peer}:500, offering {offer}",
        "asked": "[{number}] {peer}:{port} is initiating IKEv2 with us as responder",
        "agreed": "[{number}] IKE proposal agreed with {peer}: {suite}",
        "no-proposal": "[{number}] no IKE proposal in common with {peer}: received {offer}; allowed here {allowed}",
        "other-group": "[{number}] peer {peer} has to use another group: INVALID_KE_PAYLOAD sent, group {group} wanted",
        "retry-group": "[{number}] INVALID_KE_PAYLOAD received from {peer}, again with group {group}",
        "told-no-proposal": "[{number}] NO_PROPOSAL_CHOSEN received from {peer}, IKE SA refused",
        "again": "[{number}] no answer from {peer}, request {message} sent again ({tries})",
        "gave-up": "[{number}] giving up on {peer} after {tries} tries without an answer",
        "auth-ok": "[{number}] peer {identity} authenticated by pre-shared key",
        "bad-key": "[{number}] peer {identity} at {peer} refused: the proof does not match our pre-shared key",
        "told-auth": "[{number}] AUTHENTICATION_FAILED received from {peer}",
        "ike-up": "[{number}] IKE SA with {identity} ({peer}) established, rekey in {lifetime} s",
        "child-up": "[{number}] Child SA {tunnel} up: SPI in {spi_in} out {spi_out}, {local} <=> {remote}, {suite}",
        "no-selectors": "[{number}] selectors refused for {peer}: received {asked_local} <=> {asked_remote}, configured {local} <=> {remote}",
        "told-selectors": "[{number}] TS_UNACCEPTABLE received from {peer}: no Child SA for {local} <=> {remote}, IKE SA kept",
        "no-child": "[{number}] no Child SA proposal in common with {peer}: received ESP {offer}; allowed here ESP {allowed}",
        "told-no-child": "[{number}] NO_PROPOSAL_CHOSEN received from {peer}: no new Child SA {tunnel}, the old one expires",
        "stranger": "no tunnel configured for peer {peer}:{port}, IKE request ignored",
        "initiate-v1": "[{number}] tunnel {tunnel}: initiating IKEv1 main mode to {peer}:500",
        "asked-v1": "[{number}] {peer}:{port} is initiating IKEv1 main mode with us as responder",
        "garbled": "[{number}] IKEv1 main mode message from {peer} makes no sense after decryption: payload length {length}",
        "rekeyed": "[{number}] Child SA {tunnel} rekeyed: SPI in {spi_in} out {spi_out}, replaces {old_in}",
    },
)

TALKATIVE = Dialect(
    "talkative",
    _classic,
    {
        "start": "Ready. {tunnels} partner(s) on the list.",
        "initiate": "Partner {tunnel}: calling {peer}, first phase, IKE version 2.",
        "asked": "Partner at {peer} port {port} calls, first phase begins, IKE version 2.",
        "agreed": "First phase with {peer}: both sides settled on {suite}.",
        "no-proposal": "First phase with {peer} refused: of what it offered ({offer}) nothing is permitted; permitted are {allowed}.",
        "other-group": "First phase with {peer}: it guessed the wrong Diffie-Hellman group, we asked for group {group}.",
        "retry-group": "First phase with {peer}: it wants Diffie-Hellman group {group}, trying once more with that.",
        "told-no-proposal": "First phase with {peer}: the partner rejected all our proposals.",
        "again": "No reply from {peer}; message {message} repeated for the {tries}. time.",
        "gave-up": "No reply from {peer} after {tries} attempts, final.",
        "auth-ok": "Partner {identity} has proved its identity.",
        "bad-key": "Partner {identity} at {peer} turned away: its shared secret is not ours.",
        "told-auth": "Partner at {peer} does not believe us: authentication refused.",
        "ike-up": "First phase with {identity} at {peer} complete, good for {lifetime} seconds.",
        "child-up": "Second phase with {identity} complete: {local} to {remote} protected, {suite}, keys {spi_in}/{spi_out}.",
        "no-selectors": "Second phase with {peer} refused: partner wants subnets {asked_remote} with {asked_local}, our list has {local} with {remote}.",
        "told-selectors": "Second phase: partner {peer} will not carry subnets {local} with {remote}.",
        "no-child": "Second phase with {peer} refused: of the data proposals it offered ({offer}) none is permitted; permitted are {allowed}.",
        "told-no-child": "Second phase with {peer}: the partner rejected our data proposals; no fresh keys.",
        "stranger": "Partner at {peer} port {port} is not on our list, call not taken.",
        "initiate-v1": "Partner {tunnel}: calling {peer}, first phase, IKE version 1, main mode.",
        "asked-v1": "Partner at {peer} port {port} calls, first phase begins, IKE version 1, main mode.",
        "garbled": "First phase with {peer}: its message could not be read after decryption (payload length {length}).",
        "rekeyed": "Second phase with {identity} renewed in time: fresh keys {spi_in}/{spi_out}, old {old_in} dropped.",
    },
)
