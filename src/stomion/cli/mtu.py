"""`stomion mtu`: the sum of ESP's overhead, the largest packet that fits, and the TCP segment for it."""

from __future__ import annotations

import json
from pathlib import Path

import click

from stomion.errors import UsageError

LAST_STEPS = 6
"""Steps of the padding that are listed, the largest ones."""


@click.command(
    name="mtu",
    context_settings={"help_option_names": ["-h", "--help"]},
    epilog="Examples:\n\n\b\n  stomion mtu --encryption aes256 --integrity sha256\n"
    "  stomion mtu --encryption aes256gcm16 --udp --path 1492\n"
    "  stomion mtu --encryption aes256gcm16 --inner 1400      how large 1,400 bytes become\n"
    "  stomion mtu --encryption aes128 --integrity sha1 --steps\n"
    "  stomion mtu --encryption aes256 --integrity sha256 -o sizes.svg\n",
)
@click.option(
    "--encryption", "-e", default="AES-GCM-16-256", show_default=True, help="Cipher of the Child SA, in any spelling."
)
@click.option(
    "--integrity", "-a", default="", help="Integrity algorithm; a cipher with its own check value needs none."
)
@click.option(
    "--path",
    "-p",
    default=1500,
    show_default=True,
    type=click.IntRange(68, 65_535),
    help="MTU of the path between the gateways.",
)
@click.option("--udp", is_flag=True, help="ESP in UDP 4500: an address translation is on the way.")
@click.option(
    "--outer", type=click.Choice(["4", "6"]), default="4", show_default=True, help="IP version between the gateways."
)
@click.option(
    "--inside",
    type=click.Choice(["4", "6"]),
    default="4",
    show_default=True,
    help="IP version inside the tunnel, for the segment.",
)
@click.option("--transport", is_flag=True, help="Transport mode: the inner IP header stays outside.")
@click.option(
    "--inner",
    type=click.IntRange(20, 65_535),
    help="A packet's size before the tunnel; its size on the wire is printed.",
)
@click.option("--steps", is_flag=True, help="List the steps of the padding: which sizes become the same size.")
@click.option(
    "-o",
    "output",
    type=click.Path(path_type=Path),
    metavar="FILE.svg|.pdf",
    help="Draw sizes on the wire over packet sizes.",
)
@click.option("--json", "as_json", is_flag=True, help="The same as JSON.")
def command(
    encryption: str, integrity: str, path: int, udp: bool, outer: str, inside: str, transport: bool, inner: int | None, steps: bool,
    output: Path | None, as_json: bool,
) -> None:  # fmt: skip
    """Work out what ESP adds to a packet, the largest packet for a path, and the TCP MSS to clamp to."""
    from stomion.crypto.espsize import IP_HEADER, UDP_HEADER, segment, wrap_of
    from stomion.crypto.espsize import steps as steps_of

    try:
        wrap = wrap_of(encryption, integrity, outer=int(outer), udp=udp, transport=transport)
    except ValueError as error:
        raise UsageError(str(error)) from error
    largest = wrap.largest(path)
    mss = segment(largest, int(inside))
    rows = steps_of(wrap, path)[-LAST_STEPS:] if steps else []
    if output is not None:
        from stomion.jobs.drawing import draw_sizes

        draw_sizes(wrap, path, mss, output)
        click.echo(f"{output} written")
        return
    if as_json:
        found: dict[str, object] = {
            "path": path,
            "largest_inner": largest,
            "mss": mss,
            "iv": wrap.iv,
            "block": wrap.block,
            "check": wrap.check,
        }
        found |= {"fixed": wrap.fixed, "overhead": wrap.size(largest) - largest}
        found |= {"inner": inner, "on_the_wire": wrap.size(inner)} if inner is not None else {}
        found |= {"steps": [{"from": a, "to": b, "on_the_wire": size} for a, b, size in rows]} if steps else {}
        click.echo(json.dumps(found))
        return
    carried = f"IP {IP_HEADER[wrap.outer]}" + (f" + UDP {UDP_HEADER}" if udp else "")
    click.echo(
        f"{carried} + SPI and sequence number 8 + IV {wrap.iv} + padding to {wrap.block} with 2 + check value {wrap.check}"
    )
    click.echo(f"largest packet for a path of {path:,} bytes   {largest:,}   ({wrap.size(largest):,} on the wire)")
    click.echo(f"TCP segment (MSS) for it   {mss:,}")
    if inner is not None:
        size = wrap.size(inner)
        click.echo(
            f"a packet of {inner:,} bytes   {size:,} on the wire, {size - inner} more"
            + ("" if size <= path else ": too large for the path")
        )
    for first, last, size in rows:
        click.echo(f"  {first:>6,} – {last:<6,} become {size:,}")
