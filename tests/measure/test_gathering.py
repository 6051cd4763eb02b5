"""Readings that come in any order: the columns keep the order of the lines, first and last are told by moments."""

from hypothesis import given
from hypothesis import strategies as st

from stomion.measure.gathering import Gathering
from stomion.measure.series import CounterSeries
from stomion.model.record import CounterRecord

READINGS = st.lists(
    st.tuples(
        st.sampled_from(("a", "b")), st.one_of(st.none(), st.integers(0, 59)), st.integers(0, 9), st.integers(0, 2)
    ),
    min_size=1,
    max_size=12,
)
Row = tuple[str, int | None, int, int]


def _record(row: Row) -> CounterRecord:
    spi, minute, count, replayed = row
    at = "" if minute is None else f"2026-05-04T10:{minute:02d}:00Z"
    return CounterRecord(
        at, "quayhead", spi_in=spi, packets_out=count, errors={"replay": replayed} if replayed else None
    )


@given(READINGS, st.integers(1, 5), st.booleans())
def test_every_order_of_readings(rows: list[Row], block: int, in_order: bool) -> None:
    if in_order:
        rows = sorted(rows, key=lambda row: -1 if row[1] is None else row[1])
    found: list[CounterSeries] = []
    gathering = Gathering("poll.jsonl", found)
    for begin in range(0, len(rows), block):
        part = rows[begin : begin + block]
        gathering.add(range(begin, begin + len(part)), list(map(_record, part)))
    gathering.done()
    assert [series.first.spi_in for series in found] == list(dict.fromkeys(row[0] for row in rows))
    for series in found:
        own = [(line, row) for line, row in enumerate(rows) if row[0] == series.first.spi_in]
        moments = [-1 if row[1] is None else row[1] for _, row in own]
        assert list(series.lines) == [line for line, _ in own]
        assert list(series.out) == [row[2] for _, row in own]
        assert list(series.column("replay")) == [row[3] for _, row in own]
        # Of several at one moment the first line is the first, and the last line the last.
        assert series.first == _record(own[moments.index(min(moments))][1])
        assert series.last_line == max(
            line for (line, _), moment in zip(own, moments, strict=True) if moment == max(moments)
        )
        assert series.last == _record(rows[series.last_line])
