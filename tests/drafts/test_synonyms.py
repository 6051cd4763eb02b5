"""Words of one set are synonyms: in the place of one of them any other says the same, and a word that nobody knows does not."""

from __future__ import annotations

import pytest

from stomion.drafts.draft import draft_of
from stomion.model.site import SiteSheet
from stomion.vocabulary.wordlists import word_sets

SUITE = "encryption aes256; hash sha256;"
RULE = "source 10.64.0.0/24; destination 10.65.0.0/24;"
IN_TUNNEL = {
    "own": "{}-address 203.0.113.10;",
    "far": "{}-address 192.0.2.20;",
    "identity": "local-{} me.example;",
    "networks": "remote-{} 10.65.0.0/24;",
    "endpoint": "local-{} 203.0.113.10;",
    "site": "remote-{} quayhead;",
    "starts": "{} always;",
    "always": "initiate {};",
    "on traffic": "initiate {};",
    "never": "initiate {};",
    "psk": "authentication {};",
    "certificate": "authentication {};",
    "dpd": "{}-interval 30;",
    "interval": "dpd retries 3 {} 30;",
    "retries": "dpd-{} 5;",
    "bound": "{} wan;",
    "encryption": "ike {{ {} aes256; hash sha256; group 14; }}",
    "integrity": "ike {{ encryption aes256; {} sha256; group 14; }}",
    "prf": f"ike {{{{ {SUITE} group 14; {{}} sha512; }}}}",
    "group": f"ike {{{{ {SUITE} {{}} 14; }}}}",
    "life": f"ike {{{{ {SUITE} group 14; {{}} 3600; }}}}",
    "volume": f"ike {{{{ {SUITE} group 14; lifetime-{{}} 3600; }}}}",
    "none": f"esp {{{{ {SUITE} group {{}}; }}}}",
    "phase 1": f"{{}} {{{{ {SUITE} group 14; }}}}",
    "phase 2": f"{{}} {{{{ {SUITE} group 14; }}}}",
}
OF_ITS_OWN = {
    "source": "rule r1 {{ {} 10.64.0.0/24; destination 10.65.0.0/24; action allow; }}",
    "destination": "rule r1 {{ {} 10.65.0.0/24; action allow; }}",
    "service": f"rule r1 {{{{ {RULE} {{}} backup; action allow; }}}}",
    "ports": f"rule r1 {{{{ {RULE} protocol tcp; {{}} 22; action allow; }}}}",
    "enters": "rule r1 {{ {}-interface lan; source 10.64.0.0/24; action allow; }}",
    "leaves": "rule r1 {{ {}-interface lan; source 10.64.0.0/24; action allow; }}",
    "allow": f"rule r1 {{{{ {RULE} action {{}}; }}}}",
    "drop": f"rule r1 {{{{ {RULE} action {{}}; }}}}",
    "reject": f"rule r1 {{{{ {RULE} action {{}}; }}}}",
    "everything": "rule r1 {{ source {}; destination 10.65.0.0/24; action allow; }}",
    "hide": "nat n1 {{ source 10.64.0.0/24; out-interface wan; action {}; }}",
    "exempt": f"nat n1 {{{{ {RULE} action {{}}; }}}}",
    "via": "route 10.70.0.0/16 {} core;",
    "on": "route 10.70.0.0/16 {} lan;",
    "hole": "route 10.70.0.0/16 {};",
    "default": "route {} via 203.0.113.9;",
    "zone": "interface dmz {{ address 10.66.0.1/24; {} middle; }}",
    "name": "interface 3 {{ {} dmz; address 10.66.0.1/24; }}",
    "netmask": "interface dmz {{ address 10.66.0.1 {} 255.255.255.0; }}",
}
INTERFACES = "interface wan { address 203.0.113.10/29; }\ninterface lan { address 10.64.0.1/24; }\n"
EITHER = {"networks": "", "endpoint": INTERFACES, "bound": INTERFACES, "none": "", "on": INTERFACES}
"""Sets whose words change nothing here: the value alone says enough."""
VALUES = ("0.0.0.0/0", "::/0", "0.0.0.0")
"""Of `everything`: they are networks as well."""
NOBODY = "qzrqx"


def _sheet(name: str, word: str) -> SiteSheet:
    line = (IN_TUNNEL.get(name) or OF_ITS_OWN[name]).format(word)
    inside = line if name in IN_TUNNEL else ""
    far = "" if name == "far" else "remote-address 192.0.2.10;"
    interfaces = INTERFACES if name in OF_ITS_OWN else EITHER.get(name, "")
    return draft_of(
        f"hostname saltern\n{interfaces}tunnel far1 {{\n{far}\n{inside}\n}}\n{'' if inside else line}\n"
    ).sheet


@pytest.mark.parametrize("name", [*IN_TUNNEL, *OF_ITS_OWN])
def test_a_word_says_what_the_others_of_its_set_say(name: str) -> None:
    rows = [row for row in word_sets("stomion.drafts")[name].rows if row not in VALUES]
    meant = _sheet(name, rows[0])
    assert [row for row in rows if _sheet(name, row) != meant] == []


@pytest.mark.parametrize("name", [name for name in (*IN_TUNNEL, *OF_ITS_OWN) if name not in EITHER])
def test_a_word_that_nobody_knows_does_not_say_it(name: str) -> None:
    assert _sheet(name, NOBODY) != _sheet(name, word_sets("stomion.drafts")[name].rows[0])
