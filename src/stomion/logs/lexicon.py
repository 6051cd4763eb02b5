"""The trade's vocabulary: which words make a line say what, whatever program wrote it.

A line is first brought to plain words (`NO_PROPOSAL_CHOSEN`, `no-proposal-chosen` and `NoProposalChosen` become the
same), then the table RULES is read from the top: the first rule all of whose ideas are present, and none of whose
hindrances are, names the event. Ideas are sets of words, not sentences, so that unseen wording is understood too.
"""

from __future__ import annotations

import re

from stomion.logs.words import named_in, pattern

_CAMEL = re.compile(r"(?<=[a-z])(?=[A-Z][a-z])")
_SEPARATORS = re.compile(
    r"[_\-/=\"'|,;:()\[\]{}<>*]+|(?<=[A-Za-z])\.(?=[A-Za-z])|(?<=[A-Za-z]\d)\.(?=[A-Za-z]{2})|\.(?=\s|$)"
)
_SPACES = re.compile(r"\s+")
_NOT_A_NO = re.compile(r" no (?:ext seq|esn|pfs|nat|more than|\d+)(?= )| not sending notification| null(?= )")
_ARROW_IN = re.compile(r"(?:<=|<-+|<<|←)\s*(?=IKE|ISAKMP|INFO|CREATE|MAIN|AGGR|QUICK|ID_PROT)", re.IGNORECASE)
_ARROW_OUT = re.compile(r"(?:=>|-+>|>>|→)\s*(?=IKE|ISAKMP|INFO|CREATE|MAIN|AGGR|QUICK|ID_PROT)", re.IGNORECASE)
_TRANSFORM = re.compile(
    r"\b(?:ENCR_(?:AES|3DES|DES|NULL|CAMELLIA|CHACHA|BLOWFISH|CAST)|(?:AUTH|INTEG)_(?:HMAC|AES|NONE|CMAC|GMAC)|PRF_(?:HMAC|AES|NONE)"
    r"|(?:KE|DH)_(?:NONE|MODP|ECP|CURVE|GROUP_\d)|(?:ESN|SN)_(?:NONE|YES|NO)|NO_EXT(?:_SEQ)?)\w{0,40}"
)
"""Names of transforms in the registries' spelling: the AUTH or NONE in them says nothing of authentication, and denies nothing."""
_UNDER_WAY = re.compile(
    r" (?:is|are|was|were) being (?:set|established|built|opened|created|negotiated|brought|started)(?: up)?(?= )"
)
"""What only begins, in words of what stands."""
_SUBJECT = re.compile(
    r"(?<! from)(?<! to)(?<! with)(?<! for)(?<! by)(?<! of)(?<! at)(?<! via)(?<! on)(?<! and)(?<! peer)(?<! partner)(?<! gateway)(?<! remote)(?<! far)"
    r" (\d{1,3}(?:\.\d{1,3}){3})(?= (?:would|did|does|has|wants?|finds|found|talks?|came|stays?|stayed|hung|asked|asks|answers|authenticates|"
    r"takes?|accepts?|tells?|told|balks?|baulks?|likes?|refuse[sd]|reject(?:s|ed)|decline[sd]|spurns?|objects|says|said|uses|introduced|offers) )"
)
"""An address that does something: the peer, where no word says so."""
_APOSTROPHE = re.compile(r"n['’]t\b")


_SIGNS = str.maketrans(dict.fromkeys("✗✘❌✖☒", " refused ") | dict.fromkeys("✓✔✅☑", " ok "))
"""Signs of a verdict, as the words that they stand for."""
_ALARM = re.compile(r"(?<!\S)!{2,3}(?!\S)")
"""A mark before a line that tells of something wrong."""
_MARK = re.compile(r"(?<=[\])>])\s+(?:(?P<good>\+)|[xX])(?=\s)")
"""A mark after what stands in brackets: a plus for what went well, a cross for what did not."""
_MARKED = re.compile(r"[\])>]\s+[+xX]\s")
_CODED = re.compile(r"(?:rc|ret|errno|err)\w{0,4}\s?[=:]", re.IGNORECASE)
_EXCHANGE = re.compile(r"\b(?:exch|xchg|exchg|etype)\b", re.IGNORECASE)


_CALL = re.compile(r"\)\s?(?:->|=>|→|=)\s?(?:(?P<failed>-\d{1,5})|0)(?![\w.])")
"""What a call in a trace returned: none or less than none."""


_CODE = re.compile(
    r"(?<![A-Za-z_])(?:rc|ret(?:val|code)?|errno|err)\s?[=:]\s?(?:(?P<failed>-?[1-9]\d{0,4})|0)(?![\w.])", re.IGNORECASE
)
"""A code that something came back with: no other one than none is good."""
_NUMBERED_NOTIFY = re.compile(r"(?<![A-Za-z])N\s?(?:\(\s?(?P<n>\d{1,5})\s?\)|=\s?0x(?P<hex>[0-9A-Fa-f]{1,4})(?!\w))")
"""A notify as a payload of a message (RFC 7296 section 1.2); `n=14` may count anything, but nobody counts in hexadecimal."""


_LONG_WORD = re.compile(r"(\S{64})\S+")


def plain(line: str) -> str:
    """Lower-case words with single spaces; contractions opened (`didn't` becomes `did not`), and no word longer than any of the trade's."""
    text = _APOSTROPHE.sub(" not", _CAMEL.sub(" ", _TRANSFORM.sub("transform", line)))
    if not text.isascii():
        text = text.translate(_SIGNS)
    if _MARKED.search(text):
        text = _MARK.sub(lambda m: " ok " if m["good"] else " refused ", text)
    text = _ALARM.sub(" bad ", _EXCHANGE.sub("exchange", text))
    if ")" in text:
        text = _CALL.sub(_returned, text)
    if "N" in text:
        text = _NUMBERED_NOTIFY.sub(lambda m: f" notify {m['n'] or int(m['hex'], 16)} ", text)
    if _CODED.search(text):
        text = _CODE.sub(_returned, text)
    text = _ARROW_OUT.sub(" sent ", _ARROW_IN.sub(" received ", text))
    words = f" {_SPACES.sub(' ', _SEPARATORS.sub(' ', text)).lower().strip()} "
    words = _LONG_WORD.sub(r"\1", words).replace(" nomatch ", " mismatch ")
    words = _UNDER_WAY.sub(" begins", words) if " being " in words else words
    return _NOT_A_NO.sub(" ", _SUBJECT.sub(r" peer \1", words))


def _returned(call: re.Match[str]) -> str:
    return f" failed {call['failed'].lstrip('-')} " if call["failed"] else " ok "


_RELEVANT_WORDS = (
    r"\bcert|signature|\b(?:an)?other key|wrong key|passwords?\b|\bdial|root ca|\bchain\b|\bbarred|knocks|no.?prop|ts.?unacc|\bik[12]\b|\bp[12]_|ring and ring|no conversation|no arrangement|fell through|nothing fits|picked none|in the book|\boffered \d|inner |outer |checksum|was=\w+ now=|spoke|goes by|keying|baulk|balk|round|rejected|turned away|\bno map\b|session|raise|steady|no pulse|never gave|permit|start over|send data|\brsp\b|\bexch|passphrase|our password|password [0-9.]{7,15} |encryption|\bnak\b|vouch|\bstage.?[12]\b|disallowed|unanswered|rubbish|\blan pair|letters to|phase.[012]|is who it says|sealed|ike|isakmp|ipsec|vpn|tunnel|child|phase|proposal|peer|negotiat|psk|shared|secret|esp\b|quick|main.mode|aggressive|"
    r"p[12]\b|far|gateway|remote|selector|proxy.?id|rekey|retransmi|resen[dt]|unreachable|unroutable|dpd|certificate|"
    r"sa\b|initiat|respond|decrypt|deciph|malformed|channel|site.?link|answer|auth|informational|partner|notif|"
    r"other (?:end|side)|payload|no reply|4500|port 500|sad\b|spd\b|connection refused|packet: from|writing to socket|sendto|sendmsg|netunreach|hostunreach|provisioned|entry|transform|traffic|keys for|giv(?:ing|en) up|gave up|datagram|"
    r"handshake|cipher|suite|credential|caller|crypto|digest|encrypt|knock|association|unlisted|generation|our network|rolled over|no path|no echo|mute|data plane|hung up|"
    r"pfs|forward secrecy|liveness|no reaction|dh.group|diffie|:500\b|major version|no configured|no matching|withdr|identit|\bprove|subnet|no policy|"
    r"policy mismatch|aes.?\d|sha.?\d\d\d|hmac|modp|\bca of|vanish|not talking|without (?:an )?(?:answer|reply)|stranger|unfamiliar|offline|algorithm|propos|still nothing|sent delete|\boffer|proof|conflict|violat|\bclash|heartbeat|hellos|ignores us|nothing from|sight of|cancel|renew|unauthori[sz]ed|prohibited|exchange type|now encrypted|transmission|\bgranted|\bgiving|\bid[ir]\b|no route|protocol version|\btries\b|attempts? |retries|\bshots?\b|\brtx\b|sock.?move|no word|in vain|breathing|timed out|\bmenu\b|on the books|declared dead|beats?\b|\bnets\b|\bts of\b|\bts.match|\btore\b|fqdn|introduce[sd]|\bmajor\b|booked|\bid of\b"
)
RELEVANT = re.compile(_RELEVANT_WORDS)
"""Searched in lower-cased text: a line without one of these words says nothing about a negotiation."""

NOISE = re.compile(
    r" (login|logged|logon|log in|sshd?|dhcp|dhcpd|lease[ds]?|ntp|cron|snmp|http|https|web ui|web server|dns|self test|helper|testing"
    r"|test case|cpu|fan|nic|loaded plugins|spawning|plugin|vici|license|plugins|update check|packet status|step packet"
    r"|captive|admin|administrator|audit|bgp|ospf|web|users?|page|by rule|operators?|sign(?:ed|s|ing)? (?:on|in)|cookies?|webmail|backup|disk|temperature|visitors?|consoles?|telnet|password prompt|getting a local address|using host|providers) "
)
"""Words of a gateway's other business; a line with one needs stronger words than usual to count."""
STRONG = re.compile(
    r" (ike|ikev1|ikev2|isakmp|ipsec|proposals?|pre ?shared|psk|child|esp|quick mode|main mode|phase ?[12]|selectors?|notify) "
)

NOTIFIES: tuple[tuple[str, str], ...] = (
    ("NO_PROPOSAL_CHOSEN", r"no prop(?:osal)?(?: chosen| was chosen| selected)?(?= |$)(?! found| match)"),
    ("AUTHENTICATION_FAILED", r"auth(?:entication)? ?failed|auth(?:entication)? failure"),
    ("TS_UNACCEPTABLE", r"ts ?unacc(?:ept(?:able)?)?(?= )|traffic selectors? unacceptable"),
    ("INVALID_ID_INFORMATION", r"inval(?:id)? id(?: information| info)?(?= )(?! v1| payload)"),
    ("INVALID_KE_PAYLOAD", r"inval(?:id)? ke(?: payload)?(?= )"),
    ("INVALID_KEY_INFORMATION", r"invalid key information"),
    ("INVALID_HASH_INFORMATION", r"inval(?:id)? hash(?: information| info)?(?= )(?! v1| payload)"),
    ("PAYLOAD_MALFORMED", r"payload malformed|pld mal"),
    ("INVALID_PAYLOAD_TYPE", r"invalid payload type"),
    ("INVALID_SYNTAX", r"inval(?:id)? syn(?:tax)?(?= )"),
    ("INVALID_MAJOR_VERSION", r"inval(?:id)? maj(?:or)?(?: version)?(?= )"),
    ("INVALID_EXCHANGE_TYPE", r"(?:invalid|unsupported) exchange type"),
    ("INVALID_COOKIE", r"invalid cookie"),
    ("INVALID_SPI", r"invalid spi"),
    ("INVALID_IKE_SPI", r"invalid ike spi"),
    ("TEMPORARY_FAILURE", r"temp(?:orary)? fail(?:ure)?"),
    ("CHILD_SA_NOT_FOUND", r"child sa not found"),
    ("SINGLE_PAIR_REQUIRED", r"single pair required"),
    ("UNSUPPORTED_CRITICAL_PAYLOAD", r"unsupported critical payload"),
    ("INITIAL_CONTACT", r"init(?:ial)? contact"),
    ("COOKIE", r"n cookie|notify cookie"),
    *(
        (
            name,
            rf"payload (?:41|11) (?:type|notify|error|code)? ?{number}(?= )|(?:notif\w*|ntfy?|nfy)(?: type| code| message| msg| payload| error| number| id| no)* (?:0x0*{number:x}|{number})(?= )"
            rf"|(?:peer|far|remote|responder) (?:says|said|answered|replied|sent|refused|rejected)(?: \S+){{0,5}} (?:code|type|err|error|cause|reason|status) {number}(?= )",
        )
        for number, name in (
            (5, "INVALID_MAJOR_VERSION"),
            (14, "NO_PROPOSAL_CHOSEN"),
            (17, "INVALID_KE_PAYLOAD"),
            (18, "INVALID_ID_INFORMATION"),
            (24, "AUTHENTICATION_FAILED"),
            (38, "TS_UNACCEPTABLE"),
        )
    ),
)
_NOTIFY_RES = tuple((name, re.compile(rf" (?:{shape})")) for name, shape in NOTIFIES)


_SHORT = re.compile(r" ([a-z]{5,24}) (7|9|11|14|16|17|18|24|34|38)(?= )")
_NUMBERS = {
    7: ("INVALID_SYNTAX", "INVALID_EXCHANGE_TYPE"), 9: ("INVALID_MESSAGE_ID",), 11: ("INVALID_SPI",), 14: ("NO_PROPOSAL_CHOSEN",),
    16: ("PAYLOAD_MALFORMED",), 17: ("INVALID_KE_PAYLOAD", "INVALID_KEY_INFORMATION"), 18: ("INVALID_ID_INFORMATION",),
    24: ("AUTHENTICATION_FAILED",), 34: ("SINGLE_PAIR_REQUIRED",), 38: ("TS_UNACCEPTABLE",),
}  # fmt: skip
"""Notifies by their number: RFC 7296 3.10.1, RFC 2408 3.14.1."""


def notifies_of(text: str) -> tuple[str, ...]:
    """Names of the notifies that a plain line mentions: in full, by number, or shortened beside their number (`TSUNACC(38)`)."""
    found = [name for name, shape in _NOTIFY_RES if shape.search(text)]
    for short in _SHORT.finditer(text):
        found += [name for name in _NUMBERS[int(short[2])] if _shortens(short[1], name.replace("_", "").lower())]
    return tuple(dict.fromkeys(found))


def _shortens(short: str, name: str) -> bool:
    """Are the letters of a shortened name those of the whole one, in their order, from the first one on?"""
    letters = iter(name)
    return short[0] == name[0] and all(letter in letters for letter in short)


IDEAS = {name: pattern(name) for name in named_in("ideas")}
"""What finds each idea in a plain line."""


def ideas_of(text: str) -> frozenset[str]:
    """All ideas that a plain line carries."""
    return frozenset(name for name, shape in IDEAS.items() if shape.search(text))


_FAR_DEED = pattern("they did")
_OWN_DEED = pattern("we did")


_ROLE = re.compile(
    r"(?<! remote)(?<! peer)(?<! far)(?: as| role| own role| local role| our role| my role| we are| i am)(?: an?| the| is)? (?P<role>initiator|responder)(?= )"
)


def role_of(text: str) -> str:
    """The writer's own role in what a plain line tells of: `initiator`, `responder`, or empty where it does not say."""
    found = _ROLE.search(text)
    return found["role"] if found else ""


def far_deed(text: str, ideas: frozenset[str], notifies: tuple[str, ...], refusal: bool = True) -> bool | None:
    """True where the line reports what the peer decided, False where the writer itself decided, None where it names a notify and does
    not say whose it is. The writer's role tells of a `refusal` alone: an initiator is refused, a responder refuses."""
    if _OWN_DEED.search(text):
        return False
    if _FAR_DEED.search(text):
        return True
    if notifies and re.search(r" (?:response|resp|reply|answer)(?: \S+)? from ", text):
        return True
    role = role_of(text)
    if role and refusal:
        return role == "initiator"
    if notifies:
        sent, received = "sent" in ideas, "received" in ideas
        return (received and not sent) if sent or received else None
    return False
