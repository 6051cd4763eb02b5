"""Results in the shape of lists: names with values beneath each other, and tables with a heading."""

from __future__ import annotations

import re

from stomion.trials.counts import MOST
from stomion.trials.model import Trial
from stomion.trials.pasted import Line, addresses_in, is_target
from stomion.trials.words import LOST, RECEIVED, SENT, TOOK, error_of

MOST_NAMES, DIGITS, LONG, FEW_CELLS, MOST_CELLS = 60, 5, 200, 3, 12
"""Bounds of what is taken for a list or a table of tests."""
_PAIR = re.compile(r"^\s*[-*]?\s*([A-Za-z][\w ()/-]{1,40}?)\s*(?::|=|\.{2,}|\s{2,})\s*(\S.*)$")
_YES = re.compile(r"^(?:true|yes|ok|open|up|success\w*|connected|reachable|passed|pass|alive|established|1)\b")
_NO = re.compile(r"^(?:false|no|closed|down|fail\w*|refused|timed? ?out|unreachable|filtered|error|lost|0)\b")
_TARGET = re.compile(r"remoteaddr|target|destination|\bhost\b|computername|remote address|peer|\bto\b|^address")
_SOURCE = re.compile(r"source|local|\bfrom\b")


class Pairs:
    """Lines `name : value` about one test; `feed` collects them, `close` judges."""

    def __init__(self) -> None:
        self._values: dict[str, tuple[str, int]] = {}
        self._lines: set[int] = set()

    def feed(self, line: Line) -> bool:
        if not line.text:
            return not self._values
        found = _PAIR.match(line.text)
        if found is None or len(self._values) > MOST_NAMES:
            return False
        key = found[1].strip().lower()
        if key in self._values:
            return False
        self._values[key] = found[2], line.number
        self._lines.add(line.number)
        return True

    def close(self) -> list[Trial]:
        target = self._address(_TARGET)
        source = self._address(_SOURCE)
        if not target or not is_target(target):
            return []
        port = next(
            (int(v) for k, (v, _) in self._values.items() if "port" in k and v.isdecimal() and len(v) <= DIGITS), None
        )
        out = []
        for key, (value, number) in self._values.items():
            verdict = self._verdict(value)
            if verdict is None or "detail" in key:
                continue
            if re.search(r"ping|icmp|echo", key):
                out.append(self._trial(target, "icmp", verdict, "" if verdict else "timeout", source, number))
            elif port is not None and re.search(r"tcp|connect|port|state|status|result|outcome", key):
                out.append(self._trial(target, f"tcp/{port}", verdict, error_of(value.lower()), source, number))
        return out

    def _trial(self, to: str, service: str, good: bool, error: str, source: str, line: int) -> Trial:
        return Trial(to, service, 1, int(good), "" if good else error, source, None, line, (), self._lines)

    @staticmethod
    def _verdict(value: str) -> bool | None:
        low = value.lower()
        return True if _YES.match(low) else False if _NO.match(low) or error_of(low) else None

    def _address(self, words: re.Pattern[str]) -> str:
        for key, (value, _) in self._values.items():
            there = addresses_in(value)
            if words.search(key) and there:
                return there[0]
        return ""


def begins_pairs(line: Line) -> Pairs | None:
    """A first line `name : address` of a target."""
    found = _PAIR.match(line.text)
    if found is None or not _TARGET.search(found[1].lower()) or addresses_in(line.text) != [found[2].strip()]:
        return None
    pairs = Pairs()
    pairs.feed(line)
    return pairs


class Table:
    """Rows beneath a heading that names columns for what was sent and received, or for the state of ports."""

    def __init__(self, columns: list[str], line: Line) -> None:
        self._columns = columns
        self._rows: list[Trial] = []
        self._lines = {line.number}

    def feed(self, line: Line) -> bool:
        if not line.text:
            return not self._rows
        if re.fullmatch(r"[-=+| ]+", line.text):
            return True
        there = [a for a in addresses_in(line.text) if is_target(a)]
        cells = [c.strip() for c in re.split(r"\s{2,}|\s*[|;,\t]\s*", line.text.strip(" |")) if c.strip()]
        if len(cells) != len(self._columns):
            cells = line.text.split()
        if not there or len(cells) != len(self._columns):
            return False
        self._lines.add(line.number)
        self._row(dict(zip(self._columns, cells, strict=True)), there, line)
        return True

    def _row(self, cells: dict[str, str], there: list[str], line: Line) -> None:
        sent = self._number(cells, "sent")
        got, lost = self._number(cells, "received"), self._number(cells, "lost")
        source = next(iter(addresses_in(cells.get("source", ""))), "")
        target = next(iter(addresses_in(cells.get("target", ""))), "") or next((a for a in there if a != source), "")
        if sent is not None and got is None and lost is not None:
            got = sent - lost
        if sent is None or got is None or not target or not 0 <= got <= sent <= MOST or sent == 0:
            return
        port = cells.get("port", "")
        service = f"tcp/{port}" if port.isdecimal() else cells.get("service", "icmp").lower() or "icmp"
        error = "" if got else error_of(line.low) or ("timeout" if service == "icmp" else "")
        self._rows.append(Trial(target, service, sent, got, error, source, line.at, line.number, (), self._lines))

    @staticmethod
    def _number(cells: dict[str, str], kind: str) -> int | None:
        text = cells.get(kind, "")
        return int(text) if text.isdecimal() and len(text) <= DIGITS + 2 else None

    def close(self) -> list[Trial]:
        return self._rows


_KINDS = (
    ("source", re.compile(r"^(?:source|from|src)$")),
    ("target", re.compile(r"^(?:target|to|destination|host|address|dest|dst|peer|remote)$")),
    ("lost", LOST),
    ("received", RECEIVED),
    ("sent", SENT),
    ("port", re.compile(r"^port$")),
    ("service", re.compile(r"^(?:service|proto\w*)$")),
)


def begins_table(line: Line) -> Table | None:
    """A heading with a column for what was sent and one for what came back, or was lost; no numbers in it."""
    if re.search(r"\d|\b(?:interface|iface|rule|chain|sa|spi|tunnel)\b", line.low) or len(line.text) > LONG:
        return None
    cells = [c.strip().lower() for c in re.split(r"\s{2,}|\s*[|;,\t]\s*", line.low.strip(" |")) if c.strip()]
    if len(cells) < FEW_CELLS:
        cells = line.low.split()
    named = [next((kind for kind, words in _KINDS if words.search(cell)), cell) for cell in cells]
    if (
        "sent" in named
        and ({"received", "lost"} & set(named))
        and len(named) <= MOST_CELLS
        and len(set(named)) == len(named)
    ):
        return Table(named, line)
    return None


class Scan:
    """Ports of one host with their states."""

    _ROW = re.compile(r"^(\d{1,5})/(tcp|udp)\s+(open\|filtered|open|closed|filtered)\b")

    def __init__(self, to: str, line: Line) -> None:
        self.to = to
        self._rows: list[Trial] = []
        self._lines = {line.number}

    def feed(self, line: Line) -> bool:
        if not line.text or re.match(
            r"(?:host is up|port\s+state|not shown|other addresses|nmap done|starting|rdns)", line.low
        ):
            return True
        row = self._ROW.match(line.low)
        if row is None:
            down = "seems down" in line.low
            if down:
                self._rows.append(Trial(self.to, "icmp", 1, 0, "timeout", "", line.at, line.number, (), self._lines))
            return down
        if row[3] != "open|filtered":
            error = {"closed": "refused", "filtered": "timeout"}.get(row[3], "")
            service = f"{row[2]}/{row[1]}"
            self._rows.append(
                Trial(self.to, service, 1, int(row[3] == "open"), error, "", line.at, line.number, (), self._lines)
            )
        self._lines.add(line.number)
        return True

    def close(self) -> list[Trial]:
        return self._rows if is_target(self.to) else []


def begins_scan(line: Line) -> Scan | None:
    """`… scan report for ADDRESS`."""
    there = addresses_in(line.text)
    return Scan(there[-1], line) if there and re.search(r"\bscan (?:report|of|results?)\b", line.low) else None


def answered_at_once(line: Line) -> Trial | None:
    """`10.2.0.5 is alive`, `10.2.0.6 : no answer`: a line for each host."""
    there = addresses_in(line.text)
    found = re.search(
        r"^(?:host )?\S+ (?:is |: ?)(alive|reachable|up|unreachable|not reachable|dead|down|not answering)\b", line.low
    )
    if len(there) != 1 or found is None or not is_target(there[0]) or not line.low.lstrip("host ").startswith(there[0]):
        return None
    good = found[1] in ("alive", "reachable", "up") or (TOOK.search(line.low) is not None)
    return Trial(there[0], "icmp", 1, int(good), "" if good else "timeout", "", line.at, line.number, (), {line.number})
