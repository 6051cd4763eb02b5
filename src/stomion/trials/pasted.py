"""A pasted text to plain lines: without quoting, fences and prompts, with the command that stands behind a prompt."""

from __future__ import annotations

import ipaddress
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import lru_cache

from stomion.trials.words import plain
from stomion.vocabulary.addresses import ADDRESS
from stomion.vocabulary.times import rfc3339_seconds

TOOLS = frozenset((
    "ping", "ping6", "fping", "hping3", "nping", "arping", "tcping", "nc", "ncat", "netcat", "telnet", "curl", "wget", "ssh", "scp", "sftp",
    "traceroute", "traceroute6", "tracert", "tracepath", "mtr", "dig", "nslookup", "host", "nmap", "test-netconnection", "tnc",
    "test-connection", "openssl", "iperf", "iperf3", "date", "echo-check", "psql", "mysql", "smbclient", "ftp", "invoke-webrequest", "iwr",
))  # fmt: skip
"""First words of commands by which people try a connection."""
_TOOL = re.compile(r"(?<![\w/.\\-])(?:[\w./\\-]*[/\\])?([a-z][\w-]{1,19})(?:\.exe)?(?=\s)", re.IGNORECASE)
_PROMPT = re.compile(
    r"^(?:ps )?(?:[a-z]:\\[^>]{0,80}|[\w.@~:/\[\]() -]{0,50}?)[$#%>]\s{0,3}(?=[a-z])(?P<command>.*)$", re.IGNORECASE
)
_SHELL = re.compile(r"^(?:\S{0,60}[$%]|ps [^>]{0,80}>|[a-z]:\\[^>]{0,80}>)\s?(?=\S)", re.IGNORECASE)
"""A prompt that cannot be taken for a heading or a quotation: any command may follow it."""
_QUOTE = re.compile(r"^(?:\s{0,3}[>|]\s?)+")
_FENCE = re.compile(r"^\s*(?:`{3,}|~{3,})")
_STAMP = re.compile(
    r"^\[?(?:(?P<epoch>\d{9,11}\.\d{1,9})|(?P<iso>\d{4}-\d\d-\d\d[T ]\d\d:\d\d:\d\d(?:[.,]\d{1,9})?(?:Z|[+-]\d\d:?\d\d)?)|"
    r"(?:\w{3} )?\w{3} [ \d]\d \d\d:\d\d:\d\d(?: \w{3,4})?(?: \d{4})?|\d{1,2}:\d\d:\d\d(?:[.,]\d{1,9})?)\]?[:,]?\s+(?=\S)"
)
TITLE = 80
"""Characters of the longest line that is taken for a title."""
_SCRIPT = re.compile(r"^#!|^@echo off\b", re.IGNORECASE)
_MANUAL = re.compile(r"^[A-Z][\w.+-]*\(\d\w?\)\s.*\(\d\w?\)\s*$", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Line:
    """`text` as it stands without quoting and time, `low` the same in plain words, `at` its moment where it tells one with a zone;
    `command` is what follows a prompt, empty without one; `heading` says that it stands as a title."""

    number: int
    text: str
    low: str
    at: float | None = None
    command: str = ""
    heading: bool = False


def pasted_lines(lines: Iterable[tuple[int, str]]) -> Iterator[Line]:
    """Every line that may tell of a test. A script and a page of a manual tell of none, however they begin."""
    begun = False
    for number, raw in lines:
        text = raw.rstrip().lstrip("\ufeff")
        if not begun and text.strip():
            begun = True
            if _SCRIPT.match(text) or _MANUAL.match(text.strip()):
                return
        if _FENCE.match(text):
            continue
        if text.lstrip()[:1] in (">", "|"):
            text = _QUOTE.sub("", text)
        text = text.strip().removeprefix("^C").lstrip()
        at = None
        stamp = _STAMP.match(text)
        if stamp is not None:
            at = _moment(stamp)
            text = text[stamp.end() :]
        prompt = _PROMPT.match(text)
        command = prompt["command"].strip() if prompt and (tool_of(prompt["command"]) or _SHELL.match(text)) else ""
        heading = (text[:1] == "#" and not command) or (text[-1:] == ":" and len(text) < TITLE)
        yield Line(number, text, plain(text), at, command, heading)


def _moment(stamp: re.Match[str]) -> float | None:
    """A time without a zone, or without a day, is none."""
    if stamp["epoch"]:
        return float(stamp["epoch"])
    text = stamp["iso"] or ""
    return (
        rfc3339_seconds(text.replace(",", ".").replace(" ", "T")) if re.search(r"(?:Z|[+-]\d\d:?\d\d)$", text) else None
    )


def tool_of(command: str) -> str:
    """The program by which a command tries a connection; empty for any other command."""
    found = (m[1].lower() for m in _TOOL.finditer(command + " "))
    return next((name for name in found if name in TOOLS), "")


def addresses_in(text: str) -> list[str]:
    """Addresses of a line in their order, those with a port behind a colon included; a zone index is left out."""
    return list(_addresses_in(text))


@lru_cache(1_024)
def _addresses_in(text: str) -> tuple[str, ...]:
    """One line is asked about many times over."""
    out = []
    for m in ADDRESS.finditer(text):
        try:
            out.append(str(ipaddress.ip_address(m["v4"] or m["v6"])))
        except ValueError:
            continue
    return tuple(out)


def is_target(address: str) -> bool:
    """Can a test of it tell anything of a network? This machine's own loop and no address at all cannot."""
    try:
        found = ipaddress.ip_address(address)
    except ValueError:
        return bool(address)
    return not (found.is_loopback or found.is_unspecified or found.is_multicast)
