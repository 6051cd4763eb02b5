"""What the words of a test's output mean, in the languages that consoles speak.

Texts are compared in lower case and without accents; a letter that a wrong code page spoiled fits as any character.
"""

from __future__ import annotations

import re
import unicodedata

_BLANKS = re.compile(r"[\u00a0\u2007\u202f\t]")
_DASHES = str.maketrans({"–": "-", "—": "-", "’": "'", "‘": "'", "“": '"', "”": '"', "…": "..."})


def plain(text: str) -> str:
    """Lower case, without accents, with plain dashes and blanks."""
    flat = unicodedata.normalize("NFKD", _BLANKS.sub(" ", text).translate(_DASHES))
    return "".join(c for c in flat if not unicodedata.combining(c)).lower()


SENT = re.compile(
    r"\b(?:sent|transmit\w*|xmt|xmit\w*|snt|probes?|requests?|asked|tried|tries|attempts?|gesendet|versandt|ubertragen|envoye\w*|"
    r"transmis\w*|envi(?:ad|o)\w*|transmitid\w*|inviat\w*|trasmess\w*|verzonden|verstuurd|wyslan\w*|skickade?|odeslan\w*|poslan\w*|"
    r"sendt|echoes|packets|pings)\b|envoy\S{1,2}s\b"
)
RECEIVED = re.compile(
    r"\b(?:received|recv\w*|rcvd?|rec|repl(?:y|ies|ied)|answer\w*|respon[sd]\w*|returned|(?:came|come|got|get) (?:back|through)|success\w*|"
    r"ok|empfangen|beantwortet|antwort\w*|recu\w*|repon\w*|recibid\w*|respuest\w*|ricevut\w*|rispost\w*|ontvangen|antwoord\w*|"
    r"recebid\w*|odebran\w*|mottag\w*|prijat\w*|modtaget|arrived|heard)\b|re\S{1,2}us\b"
)
LOST = re.compile(
    r"\b(?:lost|loss|missing|missed|dropped|time[d-]? ?outs?|unanswered|(?:no|without|not one|never an?) (?:answer|reply|replies|"
    r"response)\w*|"
    r"nothing (?:came|comes|back|returned|was|heard)|silen\w+|fail\w*|not (?:\w+ )?(?:answer|receiv|return|repl)\w*|went missing|gone|"
    r"verlor\w*|verlust|ohne antwort|keine antwort|perdu\w*|perte|perdid\w*|pers[ie]|utracon\w*|forlorad\w*|ztracen\w*|tabt|"
    r"sans reponse|sin respuesta|senza risposta)\b"
)
NONE = re.compile(r"\b(?:none|nothing|not one|not a single|no one|no (?:answer|repl|respons)\w*|nobody|zero)\b")
ALL = re.compile(r"\b(?:all|every one|each one|every)\b")

PROBE = re.compile(
    r"\b(?:h?ping\w*|icmp|echo(?:es|s)?|asking|probing|probes?|reachab\w*|reachability)\b|-ping\b|\becho[-_ ]"
)
"""Words of a line that begins a ping."""
SIZE = re.compile(r"\b\d{1,5}[ -]?(?:\(\d+\) )?(?:data )?(?:bytes?|byte|octets?|bajt\w*|oktett\w*|bytow)\b")
UNIT = re.compile(
    r"[<=]?\s{0,8}\d{1,12}(?:[.,]\d{1,12})?\s{0,8}-?(?:ms|msec\w*|us|sec(?:onds?)?|s|minutes?|min|milli\w*|bytes?|byte|octets?|bajt\w*|hops?|kb|%|percent|"
    r"prozent|pour ?cent|por ciento|per cento|procent)(?![a-z])"
)
"""A number that is a duration, a size or a share."""
TOOK = re.compile(r"[=<:~]?\s?(\d{1,6}(?:[.,]\d{1,6})?) ?(?:ms|msec|milliseconds?)\b")

ANSWERS = re.compile(
    r"bytes from|\b(?:reply|answer) from|antwort von|icmp_seq|respuesta desde|r\S{1,2}ponse de|risposta da|antwoord van|resposta de|"
    r"odpowiedz od|svar fr"
)
"""Words of an answer to a ping."""
SILENT = re.compile(
    r"request time ?out\b|\btimed[ -]?out\b|no answer\b|no reply\b|no response\b|nothing came|\btime-?out\b(?! ?(?:is|was|=|:|\d|in|of|"
    r"value|after))|"
    r"zeit\S{0,3}berschreitung|d.?lai d.attente|tiempo de espera|richiesta scaduta|esgotad|time-out bij|uplyn\S{1,2}|"
    r"keine antwort|sans r.?ponse|sin respuesta|nessuna risposta|aikakatkai|vyprsel|tidsgrans|begaran"
)
"""A probe that nobody answered."""

ERRORS: tuple[tuple[str, re.Pattern[str]], ...] = (
    (
        "name",
        re.compile(
            r"could not resolve|couldn't resolve|name or service not known|could not find host|unknown host|temporary failure in name|"
            r"nodename nor servname|nxdomain|name resolution failed|konnte den host|konnte host|host .{1,60} not found|cannot resolve"
        ),
    ),
    (
        "too-big",
        re.compile(
            r"frag(?:mentation)? needed|message too long|needs to be fragmented|packet too (?:big|large)|muss fragmentiert|too big"
        ),
    ),
    (
        "ttl-exceeded",
        re.compile(
            r"time to live exceeded|ttl (?:expired|exceeded)|hop limit exceeded|ltigkeitsdauer|dur.?e de vie|ttl abgelaufen|tiempo de vida"
        ),
    ),
    ("prohibited", re.compile(r"prohibited|packet filtered|administratively|communication filtered|verboten")),
    (
        "refused",
        re.compile(
            r"refused|actively refused|verweigert|refus.?e|rechazad|rifiutat|geweigerd|recusad|odmitnut|reset by|port unreachable|"
            r"\bclosed\b"
        ),
    ),
    (
        "unreachable",
        re.compile(
            r"unreachable|no route to host|host is down|nicht erreichbar|inaccessible|impossible de joindre|inaccesible|inalcanzable|"
            r"non raggiungibile|onbereikbaar|inacess|nieosi|kan inte nas|nedostupn|general failure|seems down|network is down"
        ),
    ),
    (
        "timeout",
        re.compile(
            r"timed[ -]?out|\btime-?out\b(?! ?(?:is|was|=|:|\d|in|of|value))|no answer|no response|no reply|nothing came|filtered|"
            r"operation now in progress|host seems down|"
            r"did not properly respond|delai|zeit\S{0,3}berschreitung|tiempo de espera"
        ),
    ),
)
"""What was told instead of an answer, in the words of records; the first that fits counts."""

OTHER_TRADE = re.compile(
    r"\b(?:ike\w*|isakmp|ipsec|child|sa|proposal|tunnel|vpn|peer|selector|rule|policy|accept(?:ing)?|listening|listen)\b"
)
"""Words of rules, services and negotiations: lines with one of these tell of no test."""
HEDGED = re.compile(
    r"\b(?:expect\w*|should|would|must|please|if|unless|example|e\.g|such as|for instance|plan\w*|going to|to be|shall|wanted)\b"
)
"""A sentence that tells of no result but of what ought to be."""


def error_of(text: str) -> str:
    """What a plain line says was told instead of an answer; empty where it says nothing of the kind."""
    return next((name for name, words in ERRORS if words.search(text)), "")
