"""Outcomes of connections: one line that names a target, a port and what came of it, and the lines of those who fetch, resolve or scan."""

from __future__ import annotations

import ipaddress
import re
from dataclasses import dataclass, field

from stomion.trials.model import Trial
from stomion.trials.pasted import Line, addresses_in, is_target, tool_of
from stomion.trials.words import OTHER_TRADE, error_of

_ABOUT = re.compile(
    r"\b(?:connect\w*|connection|port|tcp|open|telnet|ssh|nc|ncat|verbind\w*|verbund\w*|connexion|conexion|conectad\w*|socket|"
    r"handshake)\b|/dev/tcp"
)
_GOOD = re.compile(
    r"\b(?:succeeded|success\w*|open|opened|connected|established|accepted|verbunden|conectado|connecte|ok|reached|works)\b"
)
_BAD = re.compile(
    r"\b(?:fail\w*|not|cannot|can't|could ?n[o']t|unable|unsuccessful\w*|kein\w*|nicht|impossible|closed|filtered|down|error)\b"
)
TOP_PORT = 65_535
LONG = 200
"""Characters of a line beyond which it is a page's content."""
SLOW_MS = 900
"""A try that failed without a reason after longer than this was not refused: nobody answered."""
IKE_PORTS = (500, 4500)
"""What a line says of these is a negotiation's matter."""
_URL = re.compile(r"\b(https?)://([\w.-]{1,253}|\[[0-9a-fA-F:]+\])(?::(\d{1,5}))?", re.IGNORECASE)
DEFAULT_PORTS = {
    "http": 80,
    "https": 443,
    "ssh": 22,
    "telnet": 23,
    "scp": 22,
    "sftp": 22,
    "ftp": 21,
    "iperf3": 5201,
    "openssl": 443,
}
_PORTS = (
    re.compile(r"\bport[ =:#]+(?:number )?(\d{1,5})\b", re.IGNORECASE),
    re.compile(r"\b(\d{1,5}) port\b", re.IGNORECASE),
    re.compile(r"\b(?:tcp|udp)[/ :](\d{1,5})\b", re.IGNORECASE),
    re.compile(r"\b(\d{1,5})/(?:tcp|udp)\b", re.IGNORECASE),
)
_NUMBERS = {
    110: "timeout", 10060: "timeout", 111: "refused", 10061: "refused", 113: "unreachable", 101: "unreachable", 10065: "unreachable",
    10051: "unreachable",
}  # fmt: skip
"""What operating systems call the errors of connect by number."""
_SOCKET = re.compile(r"^(?:tcp|udp)[46]?\s+\d|^(?:tcp|udp)[46]?\s+\S+:\d+\s+\S+:\d+\s")
"""A row of a machine's table of open sockets."""
_FROM = re.compile(r"\b(?:from|source|von|desde)\s+\S*$", re.IGNORECASE)


@dataclass(slots=True)
class Command:
    """A command behind a prompt: what it tries, where, and by which port."""

    tool: str
    text: str
    number: int
    address: str = ""
    name: str = ""
    port: int | None = None
    scheme: str = ""
    source: str = ""
    udp: bool = False


_OPTION_SOURCE = re.compile(r"(?:^|\s)(?:-I|-S|-s|--source|--interface|--bind|source|src)[ =](\S+)")
_NUMBER = re.compile(r"(?<![\w.-])(\d{1,5})(?![\w.])")


def command_of(line: Line) -> Command:
    """What a command behind a prompt is about."""
    tool = tool_of(line.command)
    rest = line.command[line.command.lower().find(tool) + len(tool) :]
    found = Command(tool, rest, line.number, udp=bool(re.search(r"\s-\w*u", rest)) and tool in ("nc", "ncat", "netcat"))
    option = _OPTION_SOURCE.search(rest)
    if option and addresses_in(option[1]):
        found.source = addresses_in(option[1])[0]
    there = [a for a in addresses_in(rest) if a != found.source]
    found.address = there[0] if there else ""
    url = _URL.search(rest)
    if url:
        found.scheme, found.name = url[1].lower(), url[2]
        found.port = int(url[3]) if url[3] else DEFAULT_PORTS[found.scheme]
    elif tool in (
        "nc",
        "ncat",
        "netcat",
        "telnet",
        "ssh",
        "tnc",
        "test-netconnection",
        "openssl",
        "tcping",
        "iperf3",
        "ftp",
    ):
        given = re.search(r"(?:-p|-port|:)\s?(\d{1,5})\b", rest, re.IGNORECASE)
        after = (
            _NUMBER.search(rest.split(found.address)[-1]) if found.address and tool not in ("ssh", "iperf3") else None
        )
        number = given or after
        found.port = int(number[1]) if number else DEFAULT_PORTS.get(tool)
    return found


def outcome(line: Line, command: Command | None) -> Trial | None:
    """A line that says that a connection to a port of an address came about, or why not."""
    low = line.low
    if (
        not _ABOUT.search(low)
        or OTHER_TRADE.search(low)
        or "?" in low
        or re.search(r"\becho [\"']|^\s*(?:connecting|trying)\b[^.]*\.*$", low)
    ):
        return None
    error = error_of(low) or next((name for number, name in _NUMBERS.items() if f"({number})" in low), "")
    good = bool(_GOOD.search(low)) and not error and not _BAD.search(low)
    if not good and not error and not re.search(r"\bfail\w*|could ?n[o']t|can't|unable|cannot", low):
        return None
    if _SOCKET.match(low):
        return None
    there = addresses_in(line.text)
    source = next((a for a in there if _FROM.search(line.text[: line.text.index(a)])), "")
    target = next((a for a in reversed(there) if a != source), "") or (command.address if command else "")
    if target and _is_network(line.text, target):
        return None
    port = _port(line.text, target) or (command.port if command else None)
    if not target or not is_target(target) or port is None or not 0 < port <= TOP_PORT or port in IKE_PORTS:
        return None
    udp = bool(re.search(r"\budp\b", low)) or (command is not None and command.udp)
    service = f"{'udp' if udp else 'tcp'}/{port}"
    source = source or (command.source if command else "")
    return Trial(target, service, 1, int(good), "" if good else error, source, line.at, line.number, (), {line.number})


def _is_network(text: str, target: str) -> bool:
    """Has an address a prefix length behind it, of which it is the first: `10.30.8.0/24` is no host's port 24."""
    behind = text[text.rfind(target) + len(target) :]
    length = re.match(r"/(\d{1,3})(?![\d.])", behind)
    if length is None:
        return False
    try:
        ipaddress.ip_network(f"{target}/{length[1]}")
    except ValueError:
        return False
    return True


def _port(text: str, target: str) -> int | None:
    if target:
        at = text.find(target)
        behind = (
            re.match(
                r"[\])]?(?:\s?[:#/,]\s?|\s+|\s*\(|\s*:\s*)(\d{1,5})\b(?!\.\d|\s?(?:ms|bytes|sec))",
                text[at + len(target) :],
            )
            if at >= 0
            else None
        )
        last = text.rfind(target)
        again = re.match(r"[\])]?\s?[:#/]\s?(\d{1,5})\b", text[last + len(target) :]) if last >= 0 else None
        if again or behind:
            return int((again or behind)[1])  # type: ignore[index]
    for shape in _PORTS:
        found = shape.search(text)
        if found:
            return int(found[1])
    return None


_CODE = re.compile(r"^[\"']?(\d{3})\b")


def coded(line: Line, command: Command | None) -> Trial | None:
    """The status of a fetch alone, where its command asked for no more: `200`, or `000` where nothing answered."""
    if command is None or "http_code" not in command.text or not command.scheme or command.port is None:
        return None
    found = _CODE.match(line.low)
    to = command.address or command.name
    if found is None or not is_target(to) or line.number - command.number > 1:
        return None
    service = command.scheme if DEFAULT_PORTS[command.scheme] == command.port else f"{command.scheme}/{command.port}"
    return Trial(to, service, 1, int(found[1] != "000"), "", command.source, line.at, line.number, (), {line.number})


def tried(line: Line, command: Command | None) -> Command:
    """`connecting to ADDRESS port 80 ...`: what the next line's outcome is about."""
    address = addresses_in(line.text)[0]
    port = _port(line.text, address) or (command.port if command is not None else None)
    return Command(command.tool if command else "", "", line.number, address, "", port)


_UNRESOLVED = re.compile(
    r"(?:could(?: not|n't) resolve host(?:name)?|could not find host|unknown host|cannot resolve|konnte host|"
    r"unable to resolve)[:\s]+[\"']?([a-z0-9][\w.-]{1,200})"
    r"|^(?:[a-z][\w-]{1,15}: )?[\"']?([a-z0-9][\w.-]{1,200})[\"']?: (?:name or service not known|temporary failure in name|"
    r"nodename nor servname)"
)


def unresolved(line: Line, command: Command | None) -> Trial | None:
    """A test that never left, for want of an address to the name."""
    found = _UNRESOLVED.search(line.low)
    if found is None or error_of(line.low) != "name":
        return None
    name = (found[1] or found[2]).rstrip(".")
    port = command.port if command is not None else None
    service = command.scheme if command is not None and command.scheme else f"tcp/{port}" if port else "icmp"
    return Trial(name, service, 1, 0, "name", "", line.at, line.number, (), {line.number})


@dataclass(slots=True)
class Fetch:
    """One fetch of a web page: tries, and the one answer."""

    command: Command | None
    begun: int
    address: str = ""
    port: int | None = None
    scheme: str = "http"
    tries: int = 0
    connected: bool = False
    answered: bool = False
    error: str = ""
    failed: bool = False
    at: float | None = None
    last: int = 0
    lines: set[int] = field(default_factory=set)

    _LINES = re.compile(
        r"^\* |^[<>] |^curl: \(\d+\)|awaiting response|^connecting to .*\.\.\.|^--\d{4}-\d\d-\d\d|^http/\d|^retrying|^giving up|"
        r"^length:|^saving|"
        r"^(?:date|server|content-[\w-]+|location|user-agent|host|accept|connection|last-modified|etag|cache-control):|"
        r"^\(try:|resolving |^statuscode|^http request sent"
    )

    def feed(self, line: Line) -> bool:
        low = line.low
        if not low:
            return True
        if not self._LINES.search(low) and not re.match(r"\s*http/\d", low):
            return self.command is not None and len(low) < LONG and not line.heading and not self._ends(low)
        self.lines.add(line.number)
        self.at = self.at or line.at
        there = [a for a in addresses_in(line.text) if is_target(a)]
        if there and re.search(r"trying|connect|resolving", low):
            self.address = self.address or there[-1]
            self.port = self.port or _port(line.text, there[-1])
        url = _URL.search(line.text)
        if url:
            self.scheme = url[1].lower()
            self.port = self.port or int(url[3] or DEFAULT_PORTS[self.scheme])
            if addresses_in(url[2]):
                self.address = self.address or addresses_in(url[2])[0]
        self._outcome(low, line.number)
        return True

    @staticmethod
    def _ends(low: str) -> bool:
        """A line that certainly belongs to something else."""
        return bool(re.match(r"(?:ping|---|tracero|connection to|nc:|ssh:)", low))

    def _outcome(self, low: str, number: int) -> None:
        if re.search(r"^\* connected to|\.\.\. connected|^\* connection established", low):
            self.connected = True
        self.tries += re.search(r"connecting to .*\.\.\.", low) is not None
        if re.search(r"(?:^|< )\s*http/\d(?:\.\d)? \d{3}|awaiting response\.\.\. \d{3}|^statuscode\s*:\s*\d{3}", low):
            self.answered, self.last = True, number
        error = error_of(low)
        if low.startswith("curl: ("):
            self.failed, self.last = True, number
            slow = re.search(r"after (\d+) ms", low)
            if not error and slow:
                error = "timeout" if int(slow[1]) > SLOW_MS else "refused"
        elif error and "failed" in low:
            self.failed, self.last = True, number
        self.error = error or self.error

    def close(self) -> list[Trial]:
        port = self.port or (self.command.port if self.command else None) or DEFAULT_PORTS.get(self.scheme)
        address = (
            self.address
            or (self.command.address if self.command else "")
            or (self.command.name if self.command else "")
        )
        source = self.command.source if self.command else ""
        scheme = self.command.scheme if self.command and self.command.scheme else self.scheme
        if port == DEFAULT_PORTS["https"] and scheme == "http" and self.command is None:
            scheme = "https"
        if not address or not is_target(address) or port is None:
            return []
        service = scheme if DEFAULT_PORTS.get(scheme) == port else f"{scheme}/{port}"
        where = self.last or self.begun
        tcp = Trial(address, f"tcp/{port}", 1, 1, "", source, self.at, where, (), self.lines)
        if self.answered:
            return [Trial(address, service, 1, 1, "", source, self.at, where, (), self.lines)]
        if self.failed:
            tries = max(self.tries, 1)
            # Something came back, though nothing that could be used, where a connection stood and was closed.
            failed = Trial(address, service, tries, 0, self.error, source, self.at, where, (), self.lines)
            return [tcp, failed] if self.connected else [failed]
        return [tcp] if self.connected else []


def begins_fetch(line: Line, command: Command | None) -> Fetch | None:
    """The first line of a fetch, with or without its command before it."""
    low = line.low
    if re.search(
        r"^\*\s+trying |^curl: \(\d+\)|^--\d{4}-\d\d-\d\d \d\d:\d\d:\d\d--|^connecting to \S+:\d+\.\.\.", low
    ) or re.match(r"http/\d(?:\.\d)? \d{3}", low):
        of = command if command is not None and command.tool in ("curl", "wget", "invoke-webrequest", "iwr") else None
        return Fetch(of, line.number)
    return None


@dataclass(slots=True)
class Lookup:
    """A question to a name server."""

    server: str
    begun: int
    named: bool = False
    """Did the command name the server?"""
    timeouts: int = 0
    answered: bool = False
    error: str = ""
    at: float | None = None
    last: int = 0
    lines: set[int] = field(default_factory=set)

    def feed(self, line: Line) -> bool:
        low = line.low
        if not low:
            return True
        if not re.search(
            r"^;|timed[- ]?out|timeout was|no servers could be reached|^server|^address|^name:|can't find|non-existent|"
            r"communications error|"
            r"unreachable|refused|has address|nxdomain|servfail|^\*\*\*|\bin\s+(?:a|aaaa|ptr|soa|cname)\b|query refused|authoritative",
            low,
        ):
            return False
        self.lines.add(line.number)
        self.at = self.at or line.at
        there = addresses_in(line.text)
        if there and not self.named and re.search(r"^;; server|^server|^address|#53|communications error", low):
            self.server = self.server or there[0]
        self._outcome(low, line.number)
        return True

    def _outcome(self, low: str, number: int) -> None:
        if re.search(r"communications error|dns request timed out", low) or (
            re.search(r"timed[- ]?out", low) and not self.timeouts
        ):
            self.timeouts += 1
            self.error, self.last = error_of(low) or "timeout", number
        elif "no servers could be reached" in low:
            self.timeouts, self.error, self.last = max(self.timeouts, 1), self.error or "timeout", number
        elif re.search(
            r"status: \w+|^;; server|^name:|has address|can't find|non-existent|nxdomain|got answer|answer section|\bin\s+a\b",
            low,
        ):
            if not self.timeouts or "timed" not in low:
                self.answered, self.last = True, number
        elif re.search(r"refused|unreachable", low):
            self.timeouts, self.error, self.last = max(self.timeouts, 1), error_of(low), number

    def close(self) -> list[Trial]:
        if not self.server or not is_target(self.server) or not (self.answered or self.timeouts):
            return []
        good = self.answered and not (self.timeouts and self.error == "refused")
        sent = 1 if good else self.timeouts
        return [
            Trial(
                self.server,
                "udp/53",
                sent,
                int(good),
                "" if good else self.error,
                "",
                self.at,
                self.last or self.begun,
                (),
                self.lines,
            )
        ]


def begins_lookup(line: Line, command: Command | None) -> Lookup | None:
    """The first line of a lookup: behind its command, or by its own words."""
    if command is not None and command.tool in ("dig", "nslookup", "host") and line.number == command.number:
        return Lookup(command.address, line.number, bool(command.address))
    if re.search(r"^;; communications error to|^; <<>> |^;; connection timed out|^server:\s", line.low):
        return Lookup("", line.number)
    return None
