"""The trade's vocabulary: which words make a line say what, whatever program wrote it.

A line is first brought to plain words (`NO_PROPOSAL_CHOSEN`, `no-proposal-chosen` and `NoProposalChosen` become the
same), then the table RULES is read from the top: the first rule all of whose ideas are present, and none of whose
hindrances are, names the event. Ideas are sets of words, not sentences, so that unseen wording is understood too.
"""

from __future__ import annotations

import re

_CAMEL = re.compile(r"(?<=[a-z])(?=[A-Z][a-z])")
_SEPARATORS = re.compile(r"[_\-/=\"'|,;:()\[\]{}<>*]+|(?<=[A-Za-z])\.(?=[A-Za-z])|\.(?=\s|$)")
_SPACES = re.compile(r"\s+")
_NOT_A_NO = re.compile(r" no (?:ext seq|esn|pfs|nat|more than|\d+)(?= )| not sending notification| null(?= )")
_ARROW_IN = re.compile(r"(?:<=|<-+|<<|←)\s*(?=IKE|ISAKMP|INFO|CREATE|MAIN|AGGR|QUICK|ID_PROT)", re.IGNORECASE)
_ARROW_OUT = re.compile(r"(?:=>|-+>|>>|→)\s*(?=IKE|ISAKMP|INFO|CREATE|MAIN|AGGR|QUICK|ID_PROT)", re.IGNORECASE)
_TRANSFORM = re.compile(
    r"\b(?:ENCR_(?:AES|3DES|DES|NULL|CAMELLIA|CHACHA|BLOWFISH|CAST)|(?:AUTH|INTEG)_(?:HMAC|AES|NONE|CMAC|GMAC)|PRF_(?:HMAC|AES|NONE)"
    r"|(?:KE|DH)_(?:NONE|MODP|ECP|CURVE|GROUP_\d)|(?:ESN|SN)_(?:NONE|YES|NO)|NO_EXT(?:_SEQ)?)\w{0,40}"
)
"""Names of transforms in the registries' spelling: the AUTH or NONE in them says nothing of authentication, and denies nothing."""
_SUBJECT = re.compile(
    r"(?<! from)(?<! to)(?<! with)(?<! for)(?<! by)(?<! of)(?<! at)(?<! via)(?<! on)(?<! and)(?<! peer)(?<! partner)(?<! gateway)(?<! remote)(?<! far)"
    r" (\d{1,3}(?:\.\d{1,3}){3})(?= (?:would|did|does|has|wants?|finds|found|talks?|came|stays?|stayed|hung|asked|asks|answers|authenticates|"
    r"takes?|accepts?|tells?|told|balks?|baulks?|likes?|refuse[sd]|reject(?:s|ed)|decline[sd]|spurns?|objects|says|said|uses|introduced|offers) )"
)
"""An address that does something: the peer, where no word says so."""
_APOSTROPHE = re.compile(r"n['’]t\b")


_SIGNS = str.maketrans(dict.fromkeys("✗✘❌✖☒", " refused ") | dict.fromkeys("✓✔✅☑", " ok "))
"""Signs of a verdict, as the words that they stand for."""
_EXCHANGE = re.compile(r"\b(?:exch|xchg|exchg|etype)\b", re.IGNORECASE)


_LONG_WORD = re.compile(r"(\S{64})\S+")


def plain(line: str) -> str:
    """Lower-case words with single spaces; contractions opened (`didn't` becomes `did not`), and no word longer than any of the trade's."""
    text = _APOSTROPHE.sub(" not", _CAMEL.sub(" ", _TRANSFORM.sub("transform", line)))
    if not text.isascii():
        text = text.translate(_SIGNS)
    text = _EXCHANGE.sub("exchange", text)
    text = _ARROW_OUT.sub(" sent ", _ARROW_IN.sub(" received ", text))
    words = f" {_SPACES.sub(' ', _SEPARATORS.sub(' ', text)).lower().strip()} "
    words = _LONG_WORD.sub(r"\1", words)
    return _NOT_A_NO.sub(" ", _SUBJECT.sub(r" peer \1", words))


_RELEVANT_WORDS = (
    r"\bcert|passwords?\b|\bdial|root ca|\bchain\b|\bbarred|knocks|no.?prop|ts.?unacc|\bik[12]\b|\bp[12]_|ring and ring|no conversation|no arrangement|fell through|nothing fits|picked none|in the book|\boffered \d|inner |outer |checksum|was=\w+ now=|spoke|goes by|keying|baulk|balk|round|rejected|turned away|\bno map\b|session|raise|steady|no pulse|never gave|permit|start over|send data|\brsp\b|\bexch|passphrase|our password|password [0-9.]{7,15} |encryption|\bnak\b|vouch|\bstage.?[12]\b|disallowed|unanswered|rubbish|\blan pair|letters to|phase.[012]|is who it says|sealed|ike|isakmp|ipsec|vpn|tunnel|child|phase|proposal|peer|negotiat|psk|shared|secret|esp\b|quick|main.mode|aggressive|"
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
            rf"n {number}(?= )|payload (?:41|11) (?:type|notify|error|code)? ?{number}(?= )|(?:notif\w*|ntfy?|nfy)(?: type| code| message| msg| payload| error| number| id| no)* (?:0x0*{number:x}|{number})(?= )"
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


_VERBS_OF_REFUSAL = (
    "baulk|balk|spurn|rebuff|repel|repudiat|snub|veto|oust|eject|debar|dismiss|disqualif|objects? to|flunk|contradict|diverg|clash|conflict|dissent|"
    "turn(?:s|ed|ing)? (?:\\S+ )?(?:away|back|down)|sen[dt]s? away|shut out|locks? out|locked out|rul(?:es|ed) out|str(?:ikes|uck) out|thr(?:ows|ew|own) (?:\\S+ ){0,3}(?:out|back)|"
    "fall(?:s|en)? outside|part(?:s|ed)? ways|not (?:line up|tally|square|add up)|stray|deviat|barred|beneath our|below our|ran out on|run out|leads? to no|ends? at no|no rule of ours|at odds|at variance|ill matched|unmatched|unsuited|unfit|unwanted|untrue|unsound|unworkable|inadmissible|improper|impermissible|"
    "no good|not good enough|not permit|not satisf|not suit|not recogni[sz]|not right|not allow|not tak"
)
"""General words for turning something away: of what, the rest of a line tells."""
_NOT = r"(?:not|no|never|nothing|none|without|cannot|neither|unable to|failed to|refus\w+|reject\w+|declin\w+)"
IDEAS: dict[str, str] = {
    "no": rf" nothing (?:fits|suits|agrees)(?= )| (?:picked|chose|took|liked|kept) none(?= )| not in the (?:book|register|directory|records?|files?)(?= )| (?:does|did) not believe| cannot vouch| vouch\w* for you| foreign to(?= )| (?:set|list|intersection|result|ts) empty(?= )| (?:mac|digest|hash|value)s? differs?(?= )| nak(?= )| fault(?= )| did not take any| does not verify(?= )| nothing but(?= )| in no (?:policy|list|entry|table)(?= )| unsuccessful| unanswered(?= )| (?:pair|network|nets?|name|id|peer) unknown(?= )| cannot verify| (?:likes?|takes?|wants?|accepts?|knows?) none of(?= )| no (?:\w+ ){1, 2}in common(?= )| another than| not the one(?= )| false(?= )| not on (?:file|record)(?= )| not (?:our|its|their) (?:business|affair)| none came back(?= )| fail(?= )| drop(?= )| empty (?:intersection|overlap)(?= )| (?:share|have|hold) (?:no|nothing)(?: \w+)?(?: in common)?(?= )| (?:do|does|did) not coincide| disjoint(?= )| fell through(?= )| unequal(?= )| no arrangement(?= )| (?:not|nothing|never) (?:foreseen|arranged)(?= )| rej(?= )| err(?= )(?! 0)| crit(?:ical)?(?= )| not taken(?= )| ran out on(?= )| bounced(?= )| threw out| throws out| do not meet(?= )| without a hit| not on (?:its|the|our|their) (?:menu|books?|list)(?= )| outside what| (?:we|i) do not (?:serve|carry|have|hold)(?= )| absent(?= )| not honou?red| out of step| nobody called| conflict| violation| lacks(?= )| clash| don t | isn t | nothing usable| is another one| unauthori[sz]ed| come to terms| unsuccessful| incorrect| unfamiliar| revoked| outdated| packet(?: \S+){{0,4}} dropped| certificate(?: \S+){{0,6}} expired| (?:nobody|unequal|unsuitable|unlisted|unfit|mute|missing)(?= )| ran out| outside of (?:our|the|its)(?= )| {_NOT} | fail\w*| invalid| mismatch\w*| unaccept\w+| differ\w*| wrong| bad | den(?:y|ied)| refus\w+| reject\w+"
    r"| another (?:\w+ ){0,3}(?:secret|key)s?(?= )| broken off| switched off| declin\w+| unknown| disagree\w*| incompatib\w+| unsupported| error| too old| stopped| forbidden| disallow\w*| discard\w*| abort\w*| disabled| does not equal| malformed| garbled| gibberish| larger than| should have been",
    "refusal": r" nothing (?:fits|suits|agrees)(?= )| (?:picked|chose|took|liked|kept) none(?= )| not in the (?:book|register|directory|records?|files?)(?= )| (?:does|did) not believe| cannot vouch| vouch\w* for you| foreign to(?= )| (?:set|list|intersection|result|ts) empty(?= )| (?:mac|digest|hash|value)s? differs?(?= )| nak(?= )| fault(?= )| did not take any| does not verify(?= )| nothing but(?= )| in no (?:policy|list|entry|table)(?= )| unsuccessful| (?:pair|network|nets?|name|id) unknown(?= )| (?:likes?|takes?|wants?|accepts?|knows?) none of(?= )| no (?:\w+ ){1,2}in common(?= )| another than| not the one(?= )| false(?= )| not on (?:file|record)(?= )| not (?:our|its|their) (?:business|affair)| none came back(?= )| empty (?:intersection|overlap)(?= )| (?:share|have|hold) (?:no|nothing)(?: \w+)?(?: in common)?(?= )| (?:do|does|did) not coincide| disjoint(?= )| fell through(?= )| unequal(?= )| no arrangement(?= )| (?:not|nothing|never) (?:foreseen|arranged)(?= )| rej(?= )| err(?= )(?! 0)| crit(?:ical)?(?= )| bounced(?= )| threw out| throws out| do not meet(?= )| without a hit| not on (?:its|the|our|their) (?:menu|books?|list)(?= )| outside what| (?:we|i) do not (?:serve|carry)(?= )| absent(?= )| not honou?red| is not ours(?= )| no \w+ (?:\w+ )?shared(?= )| come to terms| nothing usable| conflicts?(?= )| policy violation| violates?(?= )| lacks(?= )| not on the permitted| clash(?:es|ed)?(?= )| don t fit| isn t ours| not enabled(?= )| not allowed here| was awaited| dropping its(?= )| unauthori[sz]ed| stranger(?= )| needed(?= )| below the minimum| (?:cannot|can not|could not|unable to|did not|no) find (?:\w+ ){0,3}(?:acceptable|common|matching|suitable|shared)| unfamiliar| incorrect| unsuccessful| wants (?:\S+ ){1,4}got(?= )| says \S+ (?:but |while )?(?:configuration|config|policy|we) says?(?= )| no policy (?:covers|matches|allows|permits)(?= )| (?:exchange|payload) (?:missing|absent)(?= )| unknown on this(?= )| (?:main|aggressive)(?: mode)? (?:expected|configured|wanted|required)(?= )| insists? on(?= )| demands?(?= )| outside (?:of )?(?:our |the |its )?(?:policy|config\w*|allowed|permitted)(?= )| not the (?:configured|expected)(?= )| unexpected (?:peer )?id(?:entity)?(?= )| (?:do|does|did) not (?:protect|intersect|contain|include)(?= )| disabled (?:here|locally)(?= )| forbids?(?= )| certificate(?: \S+){0,6} expired| unequal| unsuitable| outside of (?:our|the|its)(?= )| is (?:mandatory|required)| (?:only|just) (?:\w+ ){1,3}(?:is|are) (?:permitted|allowed|taken|accepted)| this (?:link|tunnel|connection|site) (?:requires|takes|wants|needs)(?= )| (?:we|i) know it as| known (?:here|to us) as| not the (?:one|same) (?:received|expected|configured|wanted)| not specified| want\w* (?:.{1,100}? )?(?:have|has|got) (?:.{1,100}? )?(?:no|differ\w*|mismatch\w*)(?= )| (?:does|do|did) not suit| broken off| reserved for| switched off| not provisioned| but (?:the )?(?:peer|it|they|remote|partner) (?:declares?|says|said|sent|claims?|claimed|uses?|used|presented|is)(?= )| (?:cannot|can not|unable to|could not) (?:accept|agree|use|take)| not equal| expected(?= )| not (?:accept\w*|agree\w*|allow\w*|permit\w*|willing|match\w*|acceptable|compatible|offer\w*|configured|supported|suit\w*"
    r"|mirror\w*|overlap|cover\w*|correspond)|"
    r" refus\w+| reject\w+| declin\w+| den(?:y|ied)| unaccept\w+| mismatch\w*| no (?:\w+ ){0,3}(?:match\w*|common|accept\w*|agree\w*|overlap|suitable|usable|shared|proposal|chosen)"
    r"| nothing in common| none (?:\w+ ){0,6}(?:accept\w*|match\w*|allowed|permitted|suit\w*|configured|usable|fit\w*)| differ\w*| disagree\w*| incompatib\w+"
    r"| fail\w*| invalid| cannot agree| could not agree| in common| wrong| bad | turned down| no match| will not| does not fit| not one of",
    "proposal": r" (?:inner|outer|its|our|their|\d{1,3})(?: \d{1,3})? sets?(?= )| offered \d{1,3} sets| crypto set(?= )| shared crypto(?= )| of (?:the|our|its|their)(?: \d+)? transforms(?= )| (?:encryption|ciphers?|suites?|algorithms?) in common(?= )| (?:none|any) of (?:our|its|their|the) (?:ciphers?|suites?|algorithms?|encryption\w*)(?= )| ciphers? mine| (?:phase ?[12]|ike|esp|p[12])(?: \S+){0,5} (?:ciphers?|group|transforms?|proposals?|hash alg\w*) (?:mine|ours|theirs|here|local)(?= )| ciphers?(?= )(?: \S+){0,4} (?:share|common|member)| menu(?= )| transform list| (?:esp|ike|cipher|crypto) suites?(?= )| (?:on|over) encryption(?= )| sa payload(?= )| protection parameters| dh group| diffie hellman group| esp parameters| (?:phase ?[12]|ike|ipsec|sa) parameters| proposal\w*| transform\w*| algorithms?| suites?| cipher\w*| crypto\w*| encryption settings| what we offered| offers?(?= )| offered"
    r"| proposal chosen| encr(?:yption)? alg\w*| dh group| diffie hellman| security (?:settings|parameters|association payload)| attributes?",
    "algorithms": r" (?:aes|3des|sha|hmac|modp|md5|chacha) ?\d{0,4}(?= )| group \d{1,2} (?:proposed|offered|wanted|received|from|is)(?= )",
    "selector": r" network pair(?= )| (?:those|these|such|its|their) (?:subnets?|networks?|nets|ranges?)(?= )| (?:at|stage|phase) child(?: \S+){0,3} ts(?= )| lan pair| nets? \d{1,3}\.\d| networks? mine| (?:protect|carry|cover) \d{1,3}\.\d{1,3}\.| encryption domain| (?:for|asked for) nets?(?= )| ts match(?= )| ts of(?= )| local \d{1,3}\.\d+\.\d\S* (?:\d+ )?remote \d{1,3}\.\d| asks? for \d{1,3}\.\d| child \d{1,3}\.\d| crypto(?:graphic)? domains?| our networks| (?:protects|protecting|joins|joining|covers|covering) \d{1,3}\.\d| traffic selectors?| selectors?| sub ?nets?| networks?(?! is unreachable)| nets | ts (?!\d)| ts[ir] | proxy ids?| proxies| address ranges?| id information"
    r"| to join| protected (?:nets?|networks?|range\w*|addresses)| inval id | invalid id | prefixes| client ids?| lans?(?= )| encryption domains?| interesting traffic| addresses to protect| ranges?",
    "key": r" checksum(?: \S+){0,5} (?:word|key|secret|disagrees|differs|wrong|bad)(?= )| believe our (?:checksum|hash|digest|proof)(?= )| (?:digest|mac|hash)(?: \S+){0,8} not verify(?: \S+){0,4} keys?(?= )| first encrypted message(?: \S+){0,4} keys?(?= )| (?:ike|auth|phase ?1|stage ?1|main mode|message [56])(?: \S+){0,5} (?:mac|digest|hash)(?: \S+){0,4} (?:differs?|not verify|wrong|bad|false|mismatch\w*)(?= )| (?:mac|digest|hash)(?: \S+){0,5} (?:differs?|not verify|wrong|bad|false)(?: \S+){0,3} (?:key|auth)\w*(?= )| (?:our|its|the|their|your|his) pass(?:word|phrase)| pass(?:word|phrase)(?: \S+){0,6} (?:another|disagree\w*|not the one|differ\w*)(?= )| hash (?:pre ?shared|psk)| (?:phase ?1|ike|p1)(?: \S+){0,4} (?:psk|pre ?shared(?: key)?) (?:refused|false|wrong|bad)(?= )| keys out of step| hash (?:verification|check) (?:failed|did not)(?: \S+){0,4} (?:main mode|aggressive|message [56]|phase ?1)(?= )| (?:main mode|aggressive|phase ?1)(?: \S+){0,6} hash (?:verification|check) failed| (?:stored|configured|local) (?:key|secret)(?= )| shared (?:phrase|word|code|pass\w*)(?= )| digest (?:\w+ ){0,6}secret(?= )| passwords?| pre ?shared| shared (?:secret|key)| secrets?| psk| passphrase| mac (?:mismatch\w*|did not match|does not match|wrong|invalid)"
    r"| wrong key| key (?:mismatch\w*|differs|wrong|is wrong|does not match)| keys (?:are not|differ|do not)| hash (?:does not match|mismatch\w*|did not match|differs|value is wrong)"
    r"| calculated hash| common secrets?| received hash payload does not match| proof of (?:the )?key| bad key| keys? (?:is|are) not the same",
    "secret": r" pass(?:word|phrase|code)s?(?= )| watchwords?| countersign| (?:pre ?)?shared (?:key|secret|word)s?(?= )| common secrets?| psk(?= )| secrets?(?= )",
    "cipher": r" ciphers?(?= )| encr(?= )| (?:method|kind|type|form|way) of (?:encryption|enciphering|protection)| encryption(?= )(?! domain)| crypto(?= )| algorithms?| suites?(?= )| transforms?(?= )",
    "nets": r" address ranges?| (?:sub)?nets?(?= )| (?:sub)?networks?(?= )| lans?(?= )| prefix(?:es)?(?= )| no map for \d",
    "freshkey": r" fresh (?:key|dh|diffie)\w*| new (?:dh|diffie)\w*",
    "named": r" (?:name|identity|identification|ident)(?: (?:given|shown|told|used|claimed|presented))?(?= )| who is(?= )",
    "identity": r" goes by(?= )| known by the name| id check(?= )| nobody called| identifies (?:itself |himself )?as(?= )| peer name(?= )| id payload says| unfamiliar party| introduced (?:itself|himself)| (?:we|i) know it as| known (?:here|to us) as|(?<! prove our)(?<! prove its)(?<! prove their) identit\w+| id[ir][ir]?(?= )| peer ids?| remote ids?| local ids?| id(?:i|r)?(?= )(?! (?:prot|v1|information|info|payload|\d|[0-9a-f]{8} ))| ids | farid| calls itself| name(?: \w+){0,3} (?:claimed|awaited|expected|presented)| claims to be| bears the name| presented (?:itself|the name)| (?:bears|has|gives|gave|carries) (?:a|another|the wrong|some other) name| a name that| names? itself"
    r"| name (?:we|it)| expected id| id mismatch| who (?:it|they) (?:is|are)| introduces itself",
    "certificate": r" ca (?:of|for)(?= )| certificates?| certs?(?= )| trust anchor| trusted (?:public key|ca|root)| issuer| revoked| credentials(?: \S+){0,4} expired(?= )| expired cred\w+| crl | ocsp| signature (?:verif\w+|valid\w+|is|was|invalid)"
    r"| untrusted| not yet valid| public key| x ?509",
    "auth": r" vouch\w*| authenticat\w+| auth(?= )| prove\w*| proof| believe\w*| credentials?| trust\w*",
    "method": r" uses? (?:an? )?(?:signature|certificate|pre ?shared|psk|rsa)\w*(?: \S+){0,6} (?:expected|required|configured|wanted)(?= )| authenticates? (?:by|with|through) (?:a )?(?:certificate|shared|signature|psk)(?= )| auth(?:entication)? methods?(?! (?:shared|psk|pre|rsa|ecdsa|dsa|digital|signature|eap|\d))| none allows pre ?shared key| method of authentication",
    "nopeer": r" \d{1,3}(?:\.\d{1,3}){3} not in the (?:book|register|directory|records?|files?|list)(?= )| un(?:registered|listed|provisioned) (?:address|peer|gateway|source|caller)| (?:nothing|no \w+|nobody) (?:is |was )?(?:set up|arranged|prepared|defined) for (?:this|that|it|\d)| no such (?:gateway|peer|partner)| no (?:conversation|dealings|business|talk) with(?: \S+){1,3} (?:is |are )?(?:foreseen|arranged|planned|configured)(?= )| (?:its|his|the) (?:call|request|knock) (?:was |is )?not taken(?= )| unknown caller(?= )| nobody (?:that )?(?:we|i) (?:have|know|deal|talk)| who is peer \d| unauthori[sz]ed (?:source|peer|sender|gateway|address|host)(?= )| not (?:among|one of) (?:our|the) (?:\w+ )?(?:peers|partners|gateways)(?= )| stranger(?= )| match(?:es|ed)? no (?:\w+ )?(?:config\w*|connection|peer|policy|profile|tunnel|entry)(?= )| (?:nobody|no one) we (?:know|deal)| unlisted (?:caller|peer|address|gateway|source|partner)| not in (?:our|the) (?:\w+ )?(?:table|list)| not on (?:our|the|any) list| not (?:assigned|bound|mapped|attached|belonging) to (?:any|a|one)(?= )| no (?:tunnel|connection|peer|policy|config\w*|link) (?:uses|has|matches|covers|owns|knows)"
    r"| no (?:ike(?:v[12])? |isakmp |matching |suitable |such |known |local )*(?:config\w*|connections?|peers?|policy|policies|definition|entry|tunnels?|site link|gateway|profile)(?: \w+){0,4}"
    r" (?:found|for|match\w*|defined|exist\w*|configured|known|authorized|here|with|from|has)"
    r"| (?<! mode from)(?:unknown|unconfigured|unexpected|foreign|strange) (?:peer|gateway|remote|initiator|address|host|far|partner|source|party|sender)(?! id(?:entity)? )"
    r"| (?:peer|gateway|remote|far|address|partner|initiator|caller|host)(?: \w+| [\d.]+){0,5} (?:is )?(?:not (?:configured|known|one of|defined|listed|expected|in our|in the|found)|unknown|unconfigured)"
    r"| do not know (?:this|any|the|a) (?:peer|gateway|remote|address|partner)| no such (?:peer|gateway|partner)| nothing (?:is )?configured for| we have no (?:site link|tunnel|connection|entry|peer|configuration)"
    r"| not in (?:our|the) (?:configuration|list)| no config named| (?:far end|peer|partner|gateway|remote|caller) not provisioned| no entry (?:\w+ ){0,3}(?:partner|peer|gateway|remote|caller)| reason (?:unknown peer|no such peer|not configured|no config\w*|unknown gateway|unknown far|no peer\w*)| no link (?:is )?(?:set up|configured|defined)",
    "version": r" (?:protocol|ike) (?:revision|version|generation) [12](?: \S+){0,3} (?:disallowed|forbidden|refused|not allowed|prohibited)(?= )| protocol mismatch(?: \S+){0,6} ike ?v?[12]| ike version [12](?: \S+){0,3} (?:switched off|disabled)(?= )| outdated (?:protocol )?version| ike ?v?[12] (?:packet|message|request)(?: \S+){0,5} (?:dropped|refused|ignored)(?: \S+){0,3} v ?[12] (?:configured|only)(?= )| major version \d(?: \S+){0,6} (?:not|unsupported|refused|rejected)| (?:generation|version|ike) ?[12](?: \S+){0,8} (?:generation|version|ike) ?[12] (?:is )?(?:required|wanted|needed|expected|only|mandatory)| protocol (?:version )?not provisioned| (?:ike )?versions?(?: \S+){0,4} (?:not|mismatch\w*|differs?|unsupported|wrong|refused|rejected|only)| (?:wrong|unsupported|other|different|invalid|bad) (?:ike |protocol |major )?versions?"
    r"| major version(?! \d)| version mismatch| only (?:accepts?|speaks?|permits?|allows?|take) (?:ike ?)?(?:v|version )[12]| not (?:speak|accept|support|allow) (?:ike ?)?(?:v|version )[12]| ikev[12] (?:is )?(?:not|disabled|refused|denied|only)"
    r"| reason (?:wrong )?version\w*| configured for (?:ike )?version|(?: only| permit\w*| set to) (?:use )?(?:ike ?)?(?:v|version )[12]",
    "mode": r" exchange type (?:main|aggressive) is (?:disallowed|forbidden|prohibited)| exchange type (?:main|aggressive)(?: \S+){0,3} (?:disallowed|forbidden|refused|not allowed|prohibited)(?= )| exchange type \d(?: \S+){0,4} not (?:enabled|allowed|supported|permitted)| (?:main|aggressive)(?: mode)? (?:expected|configured|wanted|required)(?: \S+){0,8} (?:main|aggressive)(?= )| (?:main|aggressive) (?:form|style)(?: \S+){0,6} (?:main|aggressive) (?:form|style)| (?:main|aggressive)(?: mode)?(?: [\w.]+){0,6} (?:not|mismatch\w*|refused|rejected|denied|disabled|unsupported|only|whereas|but|forbidden|instead)"
    r"| none allows (?:\S+ ){1,3}(?:key )?authentication using (?:main|aggressive)| (?:wrong|other|different|unexpected|invalid|unsupported) (?:exchange )?(?:mode|exchange type)| (?:main|aggressive)(?: mode)? (?:\w+ ){0,6}(?:switched off| aggressive| main)| (?:main|aggressive) .{1,60} (?:asks|wants|insists|requires?|expects?|allows?|permits?) .{1,60} (?:main|aggressive)(?= )| (?:mode|exchange) mismatch| reason (?:wrong )?mode\w*"
    r"|(?: not| only| whereas| refus\w+| reject\w+| den\w+)(?: \w+){0,5} (?:main|aggressive)(?: mode)?",
    "encap": r" (?:transport|tunnel) encapsulation(?: \S+){0,6} (?:transport|tunnel) encapsulation| encapsulation(?: modes?)?(?: \w+){0,5} (?:mismatch\w*|differ\w*|wrong|refused|rejected|not|unacceptable|invalid)| mode mismatch| (?:transport|tunnel) mode(?: \w+){0,6} (?:mismatch\w*|refused|rejected|required|expected|only|instead|not)"
    r"|(?: only| refus\w+| reject\w+| wants?| requires?| expected?) (?:\w+ ){0,3}(?:transport|tunnel) mode",
    "nospi": r" (?:number|spi)(?: \S+){0,2} (?:we|i) never (?:gave|handed|issued)| (?:esp|spi)(?: \S+){0,6} (?:has no (?:home|owner|sa)|belongs? nowhere|leads? nowhere|unclaimed|orphan\w*|nobody s)(?= )| (?:unknown|unrecogni[sz]ed|invalid|bad|stale) spi(?= )| spi(?: \S+){0,2} (?:is |was )?(?:unknown|not (?:found|known|valid))"
    r"| no (?:\w+ ){0,3}sas? (?:\w+ ){0,2}(?:for|with|matching|has|of) (?:\w+ ){0,3}spi(?= )| no such spi"
    r"| esp(?: [\w.]+){0,6} (?:(?:does|do|did) not (?:belong|match|correspond)|belongs?)(?: to)?(?: an?| any| no)?(?: installed| known| existing| valid)? sas?(?= )",
    "pfs": r" without (?:an? )?ke payload(?: \S+){0,4} (?:phase ?2|quick|child)(?= )| (?:dh|key) exchange (?:payload )?(?:missing|absent)(?: \S+){0,4} (?:quick mode|phase ?2|child)(?= )| (?:phase ?2|quick mode|child)(?: \S+){0,6} (?:dh|key|ke) (?:exchange )?(?:payload )?(?:missing|absent)(?= )| pfs| perfect forward secrecy| forward secrecy",
    "route": r" not sent(?: \S+){0,2} no (?:gateway|next hop|interface|source|way)(?= )| no way (?:there|out)(?= )| cannot get (?:a |the )?packets? out| no path(?= )| cannot reach| could not leave| network is unreachable| no route| unroutable| host (?:is )?unreachable| network unreachable| net unreachable| not (?:be )?routable| no path to| routing table has no| cannot be routed| no way to (?:reach|send)| route (?:is )?missing| do not know the way| no next hop| enetunreach| ehostunreach| no route to",
    "silence": r" (?:keeps?|kept) mum(?= )| written off(?= )| no (?:sound|peep|stir|trace of life) (?:from|of)(?= )| not a (?:word|peep|sound|stir)(?= )| (?:hears?|hearing) nothing(?= )| (?:try|attempt) \d+ (?:was the last|enough)(?= )| (?:heard|got|received) (?:0|nothing|none|zero)(?= )| nothing (?:back|returned|came back)(?= )| no (?:pulse|echo|sign of life|signal|sign)(?= )| (?:did|does) not complete after \d| nothing received(?= )| unanswered \d| line dead(?= )| (?:because|cause|reason|why) silence(?= )| un ?answered(?= )| unresponsive(?= )| none came back(?= )| no (?:packet|datagram|word|letter)s? from(?= )| no (?:rsp|resp|reply|answer|ack)(?= )| (?:been|is|was) quiet for \d| (?:p1|p2|init|neg\w{0,10}|handshake|auth|quick|main|reason|cause|result)(?: \S+){0,2} (?:tmo|timeout)(?= )| \d{1,3} (?:sends?|sent|tx|out)(?: \S+){0,2} (?:0|no|zero) (?:receive[sd]?|rx|answers?|repl(?:y|ies)|in|back)(?= )| timer (?:\w+ )?(?:exhausted|ran out)(?= )| lets? us ring(?= )| absent for \d| (?:dead|gone) (?:\S+ )?(?:cause|reason|by|through) dpd(?= )| (?:peer|gw|far) dead(?= )| no word from(?= )| in vain(?= )| went nowhere(?= )| silent for \d| declared dead(?= )| requests?(?: \S+){0,3} timed out(?= )| missed \d+ beats?(?= )| stopped breathing| (?:tries|attempts|retries|retransmissions|resends|shots|transmissions) (?:\w+ ){0,2}(?:spent|exhausted|used up|gone|over|expired|run out|ran out)(?= )"
    r"| (?:spent|exhausted|used up|out of|no more|no further)(?: (?:all|the|its|our|\d+)){0,3} (?:tries|attempts|retries|retransmissions|resends|shots|transmissions)(?= )"
    r"| (?:not|never|un) ?reached(?= )| never (?:arrived|came)(?= )| nothing from(?= )| ignores us| lost sight| overdue(?= )| missed \d+ (?:hellos|probes|keepalives|heartbeats)(?= )| not talking to us| without (?:an )?(?:answer|reply|response)(?= )| still nothing| vanished| (?:peer|far|remote|partner|gateway)(?: \S+)? offline(?= )| exchange(?: \S+){0,4} expired| dpd(?: \S+){0,4} unreachable| stopped (?:acknowledging|responding|replying|reacting)| no longer (?:acknowledges|responds|replies|reacts)| giving \S+ up(?= )| nobody (?:is )?(?:home|there)| no echo| mute(?= )| (?:gone|went|has gone) quiet| lost (?:contact|touch)| contact (?:was |is )?lost| no (?:\w+ ){0,4}ack(?= )| reason far dead| (?:far|peer|partner|remote) (?:dead|silent)(?= )| no (?:answer|reply|replies|response|reaction)| not (?:yet )?(?:answer\w*|respond\w*|repl\w+|react\w*)| unanswered| timed? ?out| timeout| giv(?:e|ing|en) up| gave up| unresponsive| silent| nothing (?:came|comes) back| no sign of life"
    r"| heard nothing| nothing heard| stopped answering| retries exhausted| retry limit| max\w* retr\w+| too many retr\w+| no longer answers| went away| is dead| (?:is|considered|declared|presumed) (?:dead|gone|down|lost)",
    "again": r" retx(?= )| shot \d{1,2}(?= )| rtx (?:no |nr )?\d{1,2} | (?:try|attempt) (?:no |nr |number )?[2-9](?= )| (?:second|third|fourth|fifth|2nd|3rd|4th|5th) (?:transmission|attempt|try)(?= )| retry \d{1,3}(?= )| (?:shot|try|attempt) [2-9] of| retransmit\w*| retransmi\w+| re ?sen[dt]\w*| sen[dt]\w*(?: \w+){0,4} again| repeat\w*| retry\w*| retried| trying again| once more| another try| attempt [2-9]",
    "ended": r" let go(?= )| lapsed(?= )| not complete after \d+ (?:attempts|tries)(?: \w+){0,2}(?= )| stopping(?= )| closed after \d| attempt abandoned| abort(?= )(?: \S+){0,6} silence(?= )| (?:rtx|retx|retry|tries|try|attempts?) #? ?\d+ drop(?:ped)?(?= )| hang up(?= )| timer (?:\w+ )?(?:exhausted|ran out)(?= )| (?:p1|p2|init|neg\w{0,10}|handshake)(?: \S+){0,2} (?:tmo|timeout)(?= )| giving \S+ up(?= )| giv(?:e|ing|en) up| gave up| abandon\w*| final| last time| exhausted| no more| maximum| exceeded| limit| abort\w*| stopp?\w* trying",
    "decrypt": r" nothing but (?:rubbish|garbage|noise|nonsense)| rubbish after| (?:could|can|did|was) not (?:be )?open(?:ed)?(?= )(?: \S+){0,3} (?:keys?|message)(?= )| larger than can fit| payload has an unknown value| should have been zero| decrypt\w*| deciph\w*| made no sense| makes no sense| garbled| gibberish| unreadable| malformed| could not (?:be )?parsed?| parsing failed| payload length| invalid (?:hash|id) v1| padding| integrity check (?:failed|value)| unintelligible| cannot be read| bad payload| undecryptable| no sense",
    "install": r" kernel (?:could not|cannot|can not) (?:take|accept|add)(?= )| program\w* (?:\w+ ){0,3}(?:sa|sas|keys?)(?: \S+){0,4} (?:hardware|chip|kernel|data plane|asic)| (?:unable|failed|cannot|could not|not able|error) (?:to )?(?:\w+ ){0,3}(?:install\w*|add|apply|load|create)(?: \w+){0,4} (?:sa|sad|sas|ipsec|policy|policies|state|kernel|spd|xfrm|keys?)"
    r"| install\w* (?:\w+ ){0,4}(?:failed|refused|rejected|error)| kernel (?:refused|rejected|returned|error|reported|answered|would not|said|denied)| netlink (?:error|response)| received netlink error| algorithm (?:not supported by|unknown to|missing in) (?:the )?kernel| not (?:be )?installed|"
    r" (?:kernel|forwarding|data plane|datapath|hardware)(?: \w+){0,5} (?:refus\w+|reject\w+|fail\w*|error|not accept|declin\w+|den\w+)",
    "up": r" keys? ready(?= )| was (?:down|off|idle|closed) now (?:up|on|open|active)(?= )| (?:state|status|stage) (?:carrying|live|running|steady|on)(?= )| session up(?= )| (?:steady|settled(?! on)|secured|in force|in accord|joined up)(?= )| (?:round|leg|step|stage|act|pass) (?:concluded|complete\w*|done|over|passed)(?= )| session up(?= )| (?:sa )?pair(?: \S+){1,2} live(?= )| send data under| (?:stage|phase|step) [12] (?:good|fine)(?= )| (?:finish|finished)(?= )(?: \S+){0,2} (?:child|auth|ike)(?= )| carry \d{1,3}\.\d| (?:is|are) (?:now )?sealed(?= )| joined(?= )| usable(?= )(?! (?:suite|proposal|transform))| (?:p1|p2|neg\w{0,10}|child|phase ?[12]|create|session|handshake)(?: \S+)? (?:done|ok)(?= )| now encrypted(?= )| sa bundle(?: \S+){0,4} online(?= )| operational| activated(?= )| live(?= )| now (?:encrypting|encrypts|protecting)| (?:is|are) in place| established| (?:trunk|circuit|tunnel|channel|link|line|path|association) (?:\w+ )?in (?:service|use|operation|force)(?= )| (?:channel|circuit|tunnel) (?:dug|laid)(?= )| settled(?= )(?! on)| carr(?:y|ies) traffic| (?:is|are|now|status|came|comes|s|state|gone|went|fully) (?:up|open|ready|active|alive|live|complete\w*|protected|built|in (?:use|force|service|place)|running|working)| installed(?= )| completed| up (?:and running|on|for|with|between|conn|far|at)|"
    r" (?:sa|tunnel|channel|phase ?[12]|p[12])(?: [^ ]+){0,3} (?:up|open|complete|ready|created|built)(?= )| success\w*| (?:now|has been) (?:protected|built|secured|set up)| mature| is up | (?:may|can)(?: now)? (?:flow|pass|travel)| succeeded| finished| concluded| in place(?= )|(?<! for)(?<! reassembled)(?<! the) complete(?= )(?! (?:ike|message))| (?:has |have )?proved (?:its|their|the) identit\w+|(?<!not be)(?<!cannot be) verified| accepted (?:the )?(?:peer|remote|identity)| status ok| auth(?:entication)? ok| authenticated(?= )",
    "down": r" now (?:down|off|closed|idle)(?= )| session down(?= )| session (?:cleared|ended|closed)(?= )| withdrew (?:its|the|all)(?= )| flushed(?= )| tore (?:\w+ ){0,2}down(?= )| cancell?ed the(?= )| to (?:delete|remove) the (?:tunnel|sa|child|channel|link)| (?:tunnel|channel|link)(?: \S+){0,3} shut(?= )| lifetime (?:\S+ ){0,5}(?:over|ended|reached)(?= )| withdr[ea]ws?(?= )| hung up| hangs up| to (?:drop|close|end) (?:the|this) (?:tunnel|link|channel)| (?:taken|brought|shut) down| deleting| deleted| (?:is|went|now|status|comes|gone|came|state) (?:down|closed|gone|ended|lost)| closing| closed| torn down| tear\w*| terminat\w+| destroy\w*| removed| ended| discarded| withdrawn| expired| dropped|(?: sa| channel| tunnel) (?:down|gone|end|closed)| close[ds]? ",
    "child": r" inner (?:keys?|sets?|networks?|nets)(?= )| stage 2 good(?= )| keys? [0-9a-f]{8} [0-9a-f]{8}(?= )| [0-9a-f]{8} [0-9a-f]{8} carr(?:y|ies)(?= )| under [0-9a-f]{8}(?= )| (?:second|2nd) (?:round|leg|step|stage|part|half|act|pass)(?= )| data keys(?= )| data protection| sa bundle| traffic to(?= )| (?:data|payload|traffic) associations?| (?:stage|step|phase) two(?= )| child\w*| carr(?:y|ies) traffic| ipsec sas?| esp | phase ?(?:2|two|ii)| p2 | quick(?: mode)?| data (?:proposal\w*|channel|sa|keys?|tunnel|path)| for the data| traffic (?:between|for|from|keys|is|may)| keys for traffic| data (?:may|can|flows?)| ah | second phase| inner| payload sa| data sas?| create child|(?: user| data) traffic| net(?:work)? pair| protected traffic",
    "ike": r" outer (?:keys?|sets?)(?= )| session (?:up|down)(?= )| (?:first|1st) (?:round|leg|step|stage|part|half|act|pass)(?= )| handshake| (?:management|control) association| (?:stage|step|phase) one(?= )| ike\w*(?! ?v[12] conn)| isakmp| phase ?(?:1|one|i)(?= )| p1 | main mode| aggressive| (?:control|secure) (?:channel|sa|connection)| parent| key exchange| id prot| sa init| management (?:channel|sa)| first phase| signal\w* channel| id prot| outer",
    "rekey": r" rolled over| keys? (?:\w+ ){0,3}rolled| rekey\w*| re ?key\w*| renew\w*| refresh\w*| reauth\w*| re authenticat\w*| replac\w+| fresh keys| new keys",
    "peerlost": r" lost no (?:pulse|echo|sign)| keepalives? unanswered| keepalives? (?:missed|lost)| (?:been|is|was) quiet for \d| heartbeats?(?: \S+){0,3} absent(?= )| declared dead(?= )| stopped breathing| missed \d+ beats?(?= )| lost sight| hellos(?= )| vanished| (?:peer|far|remote|partner|gateway)(?: \S+)? offline| (?:gone|went) quiet| lost (?:contact|touch)| contact (?:was |is )?lost| dpd| (?:peer|far|remote|partner) (?:is )?(?:dead|gone|lost)(?= )| far (?:end )?silent| dead peer| peer detection| peer (?:is )?(?:dead|gone|lost|down)| keepalives?| liveness| heartbeat| life ?sign| no longer answers| sign of life| probes?",
    "delete": r" (?:peer|far|remote|partner) deleted(?= )| withdrew its sas?(?= )| d payload(?= )| deletes?(?= )| deletion| d ",
    "theirdeed": r" (?:peer|remote|far|gateway|other (?:end|side)|partner|responder|initiator|it|they)(?: [^ ]+){0,8}? (?:asks?|asked|requests?|requested|wants?|wanted|sent|sends)",
    "received": r" received?| receiving| parsed| got | heard| incoming| inbound| arrived| notified us| answered with| says | said | tells us| told us| replied| reports?| came back|(?: in| rx)(?= from)| rx (?=\w)| dir in| recv\w*| processed",
    "sent": r" send| sending| sent | generat\w+| respond\w* (?:to|with)| reply with| replying| answer\w* with| outgoing| tx | xmit\w*",
    "begin": r" raises?(?= )| hello(?= )(?: \S+){0,2} sent(?= )| calls(?= )| call to \d| dial(?:s|ed|ling|ing)?(?= )| initiat\w+| contacting| (?:negotiation|exchange|talks?|conversation|handshake|session|ike)(?: (?:is|was|has))? (?:begun|began|opened|launched|under way)(?= )| (?:approach|ring|greet)ing(?= )| begin\w*| start\w*| connecting| opening| trying| calling| attempting|(?: p1| ike| phase 1) (?:new|attempt)| dialling| launching| set(?:ting)? up",
    "asked": r" (?:peer|gateway|remote|far|partner)(?: \S+){0,3} (?:asks?|asked|wants?|requests?) (?:for )?(?:an? )?(?:tunnel|negotiation|session|channel|conversation)(?= )| raised by(?= )| \d{1,3}(?:\.\d{1,3}){3} calls(?= )| dials in| dialled in| is initiating| contacted us| has contacted| dir in| from (?:peer|remote)| responding to| incoming| inbound| we were contacted| as responder| responder side| received (?:an? |new |the )?(?:initial|ike|first|main|connection)|"
    r" (?:peer|remote|gateway|far|partner)(?: [^ ]+){0,5} (?:initiates|initiated|is initiating|starts|started|begins|calls|called|opens|wants to talk|knocks|is calling)| role responder| dir inbound| by the (?:peer|far|remote)",
    "narrow": r" shr[aiu]nk| only (?:\S+ ){1,3}(?:is|are|was|were) (?:granted|given|conceded)(?= )| (?:grant\w*|g[ai]ve\w*|allow\w*|concede\w*) (?:us )?(?:a |only a |only )?(?:part|smaller)(?= )| narrow\w*| smaller (?:than|range|set)| reduced (?:to|the)| only a part| subset| cut down to| trimmed",
    "configured": r" (?:link|tunnel|connection|partner|peer)(?: \S+)? (?:defined|declared)(?= )| (?:policy|policies|entry|entries|trunk|profile|link|tunnel|gate|circuit)(?: \w+){0,2} (?:read|loaded|provisioned|registered|taken over)(?= )| tunnel \S+ is (?:named|called|known as)"
    r"| (?:has been |was |is |status |config\w* |conn\w* |connection |tunnel |peer )(?:read from the config\w*|loaded|altered|added|changed|updated|reloaded|modified|configured|applied|re ?read|edited|saved)(?= )"
    r"| (?:loaded|added|read|reloaded|changed) (?:\w+ ){0,3}(?:connection|config\w*|tunnel|peer|policy|site link)",
    "service": r" (?:service|daemon|process|engine|subsystem|module|system)(?: \w+){0,3} (?:start\w*|stop\w*|running|ready|up)| starting ike",
    "float": r" (?:continu\w+|proceed\w*|carr\w+ on|go\w* on)(?: \w+){0,2} (?:on|at|with|via|over) (?:port |udp )?4500(?= )| going on at (?:port )?4500(?= )| (?:mov\w*|switch\w*|chang\w*|float\w*|ports?|goes on|continu\w*)(?: \w+){0,3} 500 (?:to )?4500(?= )| 4500.*(?:float\w*|from here on|continue|switch\w*|mov(?:ed|ing)|now talk)|(?:from here on| continue| float\w*| switch\w* to| moving to| moved to)(?: \S+){0,6} 4500",
    "selected": r" selected proposal| have agreed| agreed (?:on|to|with)| chosen proposal| chose proposal| accept\w* proposal|(?<! no) proposal (?:accepted|chosen|selected|agreed)| negotiated (?:ike|esp|proposal|transform|algorithms?|cipher)| status agreed|(?: using| picked| settled on) proposal| settled on",
    "names": r" peer s (?:proposals?|offers?)(?= )| their (?:proposals?|offers?)(?= )| received proposals?| configured proposals?| offered proposals?| local proposals?| remote proposals?| proposals? (?:received|configured|offered)",
    "closed": r" admin(?:istratively)? prohibited| connection refused| port (?:is )?unreachable| econnrefused| port (?:is )?closed| icmp type 3 code 3",
    "group": r" with (?:dh )?group \d| diffie hellman group| dh group| ke payload| key exchange group",
    "regroup": r" (?:start over|begin again|try again|come back|once more) with (?:dh )?group \d| would rather have group \d| asked (?:it )?for (?:\w+ ){0,2}group| use another group| another (?:dh |diffie hellman )?group (?:is |was )?(?:wanted|asked|requested)| guessed the wrong",
    "renewed": r" rekeyed| renewed",
    "scheduling": r"scheduling",
    "probing": r" probing| being probed",
    "asksfor": r" (?:asks?|asked|asking|requests?|requested) (?:\w+ ){0,2}for ",
    "heldback": r" (?:packets?|datagrams?|payload|traffic)(?: \S+){0,4} (?:held back|discarded|thrown away|dropped|kept back|met policy|not (?:carried|sent|forwarded))(?: \w+){0,4} (?:no|not) (?:\w+ ){0,2}(?:channel|child|tunnel|sa|established|up)(?= )| (?:discarded|dropped|held back)(?: \w+){0,3} (?:tunnel|channel) (?:is )?not (?:\w+ )?(?:established|up)",
    "waits": r" (?:sleeps|idle|dormant|asleep) (?:until|till)| until (?:there is )?(?:traffic|a packet)| (?:wait\w*|armed|held ready) (?:\w+ ){0,3}(?:packets?|datagrams?|payload|traffic|data)(?= )| by the first (?:packet|datagram|frame)| (?:on|upon) (?:the )?(?:first|next) (?:packet|datagram)| once (?:traffic|a packet|data) (?:comes|arrives|flows)",
    "two spis": r"(?<![0-9a-f-])(?:0x)?[0-9a-f]{8}(?:_[io])?(?![0-9a-f-]).*(?<![0-9a-f-])(?:0x)?[0-9a-f]{8}(?:_[io])?(?![0-9a-f-])",
    "me": r" myself| our own| we (?:have )?prove\w*| local side",
    "unwelcome": r" spoofed?| attack| flood| scan\w*",
}
_REASON = r" (?:why|reasons?|cause|ground|because|due to|motive|fault)(?: is| was| of)?(?: the| their| our| its)?"
IDEAS |= {
    "because of proposal": rf"{_REASON}(?: (?:ike|esp|crypto|p[12]))? (?:encr\w*|ciphers?|proposals?|suites?|algo\w*|crypto\w*|transforms?|offers?|sets?)(?= )",
    "because of key": rf"{_REASON} (?:psk|key|secret|pre ?shared\w*|password|passphrase|mac|hash|digest|checksum)s?(?= )(?! (?:exchange|ok|expir\w*|life\w*|age|old|renew\w*|re ?key\w*|roll\w*|refresh\w*)(?= ))",
    "because of nets": rf"{_REASON}(?: (?:traffic|inner))? (?:ts[ir]?|selectors?|subnets?|nets?|networks?|ranges?|prefix\w*|lans?|domains?)(?= )",
    "because of name": rf"{_REASON}(?: peer)? (?:id|ident\w*|name|fqdn)(?= )",
    "because of silence": rf"{_REASON}(?: peer)? (?:silent|silence|no ?(?:answer|reply|response|resp)|timeout|tmo|timed out|unanswered|mute)(?= )",
}
"""What a line gives as the reason of something: nobody gives reasons for what went well."""
IDEAS["turned away"] = rf" (?:{_VERBS_OF_REFUSAL}|refus|reject|declin|denie[sd]|mismatch|wrong|rej )\w*"
IDEAS["refusal"] += rf"| (?:{_VERBS_OF_REFUSAL})\w*"
IDEAS["no"] += rf"| (?:{_VERBS_OF_REFUSAL}|laps(?:e|ed|es) |stall|founder|fizzl|collaps|fell short|falls short)\w*"
_IDEA_RES = {name: re.compile(shape) for name, shape in IDEAS.items()}


def ideas_of(text: str) -> frozenset[str]:
    """All ideas that a plain line carries."""
    return frozenset(name for name, shape in _IDEA_RES.items() if shape.search(text))


_FAR_DEED = re.compile(
    r"(?<! of)(?<! from)(?<! for)(?<! with)(?<! to)(?<! by)"
    r" (?:peer|remote|far|other (?:end|side)|partner|responder|remote gateway|gateway)\b(?: [^ ]+){0,7}? (?:did not|does not|do not|would not|will not|is not (?:willing|able|prepared)|was not willing|has not accepted|"
    r"refus\w+|reject\w+|declin\w+|denie[sd]|ba(?:u)?lks?|spurns?|objects|likes none|has (?:refused|rejected|declined|denied)|turned down)(?! respond| answer| reply| match| equal| correspond| exist| contain| suit)"
    r"| (?:peer|remote|far|other (?:end|side)|partner|responder|gateway)(?: [^ ]+){0,3}? (?:sent|says|said|reports?|reported|answered|replied|returned|claims|tells|told)(?! us to join)"
    r"| (?:response|reply|answer) (?:contained|contains|rejected|refused|carried|carries)| (?:message|packet) contain(?:ing|ed|s) "
    r"| ignor(?:ing|ed) (?:informational|notif\w*|the notif\w*)"
    r"| (?:failed|answered) by (?:the )?(?:far|peer|remote|other|partner|responder|gateway)| peer (?:refused|rejected|denied|declined)"
    r"| it (?:wants|demands|asked for)(?= )|(?:refused|rejected|denied|declined|turned down) by (?:the )?(?:far|peer|remote|other|partner|responder|gateway)| refused by far"
    r"| (?:refused|rejected|denied|declined|turned down) by (?:\w+ ){0,2}\d{1,3}\.\d{1,3}\.\d"
    r"| (?:could|can|did|does) not (?:verify|accept|authenticate) us(?= )| our (?:credentials?|proof|keys?|secret|identity)(?: \w+){0,3} not (?:been )?accepted(?= )"
    r"| \d{1,3}(?:\.\d{1,3}){3} (?:rejected|refused|declined|denied|did not accept|does not accept|turned down) (?:our|us)(?= )"
    r"| we (?:were|have been) (?:refused|rejected|turned)| our (?:proposals?|offers?|request|identity|selectors?)(?: \w+){0,3} (?:was|were|has been|have been) (?:refused|rejected|declined|denied|turned)"
)
_OWN_DEED = re.compile(
    r" (?:refused|rejected|declined|denied|broken off|turned down|released) by (?:this (?:gate|gateway|end|side|unit|device)|us)(?= )|"
    r"(?<! received)(?<! got) reply (?=auth\w* fail|no prop|ts unaccept|inval)| we (?:did not|do not|cannot|could not|will not|would not|refuse\w*|reject\w*|decline\w*|deny|denied|only|have refused|have rejected|have declined|are configured|have no|hold|require)| so we (?:declin|refus|reject)"
    r"| (?:could|can|did|does|has|was|is) not (?:able to )?(?:prove[nd]?|know|authenticate)| fail(?:ed|s) to (?:prove|authenticate)| could not prove"
    r"| not (?:prove|proved|proven) | computed | calculated | match(?:es)? ours? | our (?:pre ?shared|secret|psk)| is not ours"
)


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
