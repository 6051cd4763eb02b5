"""The demo's declared side: its case file, and a sheet for every site that has one."""

from __future__ import annotations

from stomion.standin.places import ADDRESSES, DOMAIN, LANS, PETREL_LTE, WANS

TUNNELS = (
    "farlight", "saltern", "marram", "driftwood", "brackish-freight", "eelgrass", "gannet", "whelk", "samphire", "petrel",
)  # fmt: skip
"""The far ends of Quayhead's tunnels, in the order of the case file."""


def case_file() -> str:
    """case.toml: the title, the tunnels, and flows that ought to pass or not."""
    parts = ['title = "Lanternreef Ocean Observatory"\n']
    parts += [f'[[tunnel]]\nname = "quayhead-{far}"\nends = ["quayhead", "{far}"]\n' for far in TUNNELS]
    stations = ", ".join(f'"{far}"' for far in TUNNELS if far != "farlight")
    parts.append(f'[[relation]]\nsites = [{stations}]\nwant = "apart"\n')
    parts.append('[[relation]]\nsites = ["quayhead", "farlight"]\nwant = "direct"\n')
    parts.append('[[tunnel]]\nname = "farlight-petrel"\nends = ["farlight", "petrel"]\npair = "quayhead-petrel"\n')
    parts.append(
        _expect("10.96.0.10", "10.76.0.20", "tcp/443", "reach")
        + _expect("10.96.0.10", "10.76.0.20", "tcp/22", "blocked")
    )
    return "\n".join(parts)


def _expect(source: str, to: str, service: str, outcome: str) -> str:
    return f'[[expect]]\nfrom = "{source}"\nto = "{to}"\nservice = "{service}"\noutcome = "{outcome}"\n'


def sheets() -> dict[str, str]:
    """Every site's sheet by its name. Saltern gives no access, Brackish Freight is somebody else's: they have none."""
    own = LANS["quayhead"]
    outwards = _exempt(own, "10.64.0.0/12", "into the tunnels to stations") + _exempt(
        own, LANS["farlight"], "into the tunnel to Farlight"
    )
    return {
        "quayhead": _head("quayhead")
        + "".join(map(_at_quayhead, TUNNELS))
        + _routes("192.0.2.1")
        + outwards
        + _general(own),
        "farlight": _head("farlight") + _tunnel("farlight", groups="[20, 19]") + _petrel("standby", at_petrel=False),
        "marram": _head("marram") + _tunnel("marram", local_ts="10.66.0.0/22", initiate="never"),
        "driftwood": _head("driftwood") + _tunnel("driftwood", initiate="never", version=1),
        "eelgrass": _station("eelgrass", "198.51.100.65", _general(LANS["eelgrass"]), _not_into("eelgrass")),
        "gannet": _station("gannet"),
        "whelk": _station("whelk", "198.51.100.129", _not_into("whelk"), _general(LANS["whelk"]), _WHELK_FILTER),
        "samphire": _head("samphire") + _tunnel("samphire", initiate="on-traffic"),
        "petrel": _head("petrel")
        + f'\n[[interface]]\nname = "lte0"\naddresses = ["{PETREL_LTE}/28"]\nzone = "outside"\n'
        + _petrel("primary", at_petrel=True)
        + _petrel("standby", at_petrel=True),
    }


def _station(site: str, hop: str = "", *tables: str) -> str:
    return _head(site) + _tunnel(site, initiate="never") + (_routes(hop) if hop else "") + "".join(tables)


def _not_into(site: str) -> str:
    return _exempt(LANS[site], LANS["quayhead"], "not into the tunnel")


def _head(site: str) -> str:
    net, _, length = LANS[site].partition("/")
    gateway = net[: net.rindex(".")] + ".1"
    return (
        f'site = "{site}"\n\n[[interface]]\nname = "wan0"\naddresses = ["{WANS[site]}"]\nzone = "outside"\n\n'
        f'[[interface]]\nname = "lan0"\naddresses = ["{gateway}/{length}"]\nzone = "inside"\n'
    )


def _petrel(role: str, at_petrel: bool) -> str:
    """Petrel's two tunnels at either end. The standby runs over its second line, for the same two ranges: Farlight passes on."""
    hub, line, name = (
        ("quayhead", ADDRESSES["petrel"], "petrel") if role == "primary" else ("farlight", PETREL_LTE, "petrel-lte")
    )
    ends = [(hub, ADDRESSES[hub], hub, LANS["quayhead"]), ("petrel", line, name, LANS["petrel"])]
    own, far = ends[::-1] if at_petrel else ends
    starts = "never" if not at_petrel else "always" if role == "primary" else "on-traffic"
    return (
        f'\n[[tunnel]]\nname = "{hub}-petrel"\npeer_site = "{far[0]}"\nlocal = "{own[1]}"\npeer = "{far[1]}"\nike = 2\n'
        f'initiate = "{starts}"\nauth = "psk"\nlocal_id = "{own[2]}.{DOMAIN}"\nremote_id = "{far[2]}.{DOMAIN}"\nstyle = "policy"\n'
        f'role = "{role}"\ndpd = {{ interval_s = 2, retries = 2 }}\nlocal_ts = ["{own[3]}"]\nremote_ts = ["{far[3]}"]\n'
        + _V2.replace("GROUPS", "[20, 19]")
    )


_NEVER = ("farlight", "saltern", "brackish-freight")
"""Far ends that start by themselves, so that Quayhead waits."""


def _at_quayhead(far: str) -> str:
    if far == "petrel":
        return _petrel("primary", at_petrel=False)
    groups = "[20]" if far == "farlight" else "[20, 19]"
    return _tunnel(
        "quayhead",
        far,
        groups=groups,
        initiate="never" if far in _NEVER else "on-traffic" if far == "samphire" else "always",
        version=1 if far == "driftwood" else 2,
    )


def _tunnel(
    own: str,
    far: str = "quayhead",
    groups: str = "[20, 19]",
    initiate: str = "always",
    local_ts: str = "",
    version: int = 2,
) -> str:
    name = f"quayhead-{far if own == 'quayhead' else own}"
    mode = 'mode = "main"\n' if version == 1 else ""
    return (
        f'\n[[tunnel]]\nname = "{name}"\npeer_site = "{far}"\nlocal = "{ADDRESSES[own]}"\npeer = "{ADDRESSES[far]}"\n'
        f"ike = {version}\n{mode}"
        f'initiate = "{initiate}"\nauth = "psk"\nlocal_id = "{own}.{DOMAIN}"\nremote_id = "{far}.{DOMAIN}"\n'
        'style = "policy"\n'
        f'local_ts = ["{local_ts or LANS[own]}"]\nremote_ts = ["{LANS[far]}"]\n'
        + (_V1 if version == 1 else _V2.replace("GROUPS", groups))
    )


_V2 = """\
[[tunnel.ike_proposal]]
encryption = ["AES-GCM-16-256"]
prf = ["HMAC-SHA2-384"]
group = GROUPS
lifetime_s = 28800
[[tunnel.esp_proposal]]
encryption = ["AES-CBC-256"]
integrity = ["HMAC-SHA2-256-128"]
group = [20]
lifetime_s = 3600
"""
_V1 = """\
[[tunnel.ike_proposal]]
encryption = ["AES-CBC-256"]
integrity = ["HMAC-SHA2-256-128"]
group = [14]
lifetime_s = 28800
[[tunnel.esp_proposal]]
encryption = ["AES-CBC-256"]
integrity = ["HMAC-SHA2-256-128"]
group = [14]
lifetime_s = 3600
"""


def _routes(hop: str) -> str:
    return f'\n[[route]]\ndestination = "0.0.0.0/0"\nvia = "{hop}"\ninterface = "wan0"\n'


def _exempt(source: str, destination: str, name: str) -> str:
    match = f'out_interface = "wan0", source = "{source}", destination = "{destination}"'
    return f'\n[[translation]]\nname = "{name}"\nmatch = {{ {match} }}\naction = "exempt"\n'


def _general(source: str) -> str:
    match = f'out_interface = "wan0", source = "{source}"'
    return f'\n[[translation]]\nname = "to the internet"\nmatch = {{ {match} }}\naction = "masquerade"\n'


_WHELK_FILTER = """
[[filter]]
name = "no ping from other sites"
match = { from_zone = "tunnel", service = "icmp" }
action = "drop"

[[filter]]
name = "web of the tide gauge"
match = { from_zone = "tunnel", to_zone = "inside", service = "tcp/80" }
action = "allow"

[[filter]]
name = "nothing else from other sites"
match = { from_zone = "tunnel", service = "tcp" }
action = "drop"

[[filter]]
name = "its archive over tls"
match = { from_zone = "tunnel", to_zone = "inside", source = "10.96.0.0/20", service = "tcp/443" }
action = "allow"

[[filter]]
name = "own hosts outwards"
match = { from_zone = "inside" }
action = "allow"
"""
