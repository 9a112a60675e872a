"""Rows of PostgreSQL by columns: as they are row by row, and as safe."""

import signal
import threading
import time
from datetime import UTC, datetime

import polars as pl
import pytest
from sqlalchemy import create_engine, text

from jovial_atlas.errors import ContentError
from jovial_atlas.sources.records import sql
from jovial_atlas.sources.records.columns import FieldMap

NOW = datetime(2026, 11, 30, tzinfo=UTC)
HOW = FieldMap("walks", "https://www.marrowfen.example", NOW, "/walks/{id}/")
VALUES = """
    select n as id, n::int2 as small, n::int8 as large, n / 3.0::float8 as part, n % 2 = 0 as even,
      'ä' || n as words, 'x'::varchar(5) as short, case n when 1 then 'z' end as nothing, 1.25::numeric as price,
      date '2026-01-31' + n as day, timestamp '2026-01-31 23:59:59.25' as here,
      timestamptz '2026-01-31 10:00+02' as "when", array['a', null, 'b'] as tags, 'NaN'::numeric as none,
      case n when 1 then date 'infinity' when 2 then date '0044-03-15 BC' end as far,
      case n when 1 then timestamptz 'infinity' when 2 then timestamp '9999-12-31 23:00+00' end as end
    from generate_series(1, 3) n
"""


def read(postgresql, query, monkeypatch, *, quick):
    tried = []
    if quick:
        made = sql.arrow_tables
        monkeypatch.setattr(sql, "arrow_tables", lambda *given: tried.append(1) or made(*given))
    else:
        monkeypatch.setattr(sql, "reads_arrow", lambda _kinds: False)
    batches = list(sql.read_query(postgresql, query, HOW, None, "secret"))
    monkeypatch.undo()
    assert bool(tried) == quick
    return pl.concat([one.table for one in batches])


def test_columns_are_those_that_rows_make(postgresql, monkeypatch):
    by_columns, by_rows = (read(postgresql, VALUES, monkeypatch, quick=quick) for quick in (True, False))
    assert by_columns.schema == by_rows.schema
    assert str(by_columns.to_dicts()) == str(by_rows.to_dicts())
    assert by_columns["extra"].struct.field("when").to_list()[0] == datetime(2026, 1, 31, 8, tzinfo=UTC)


@pytest.mark.parametrize("kind", ["'{}'::jsonb", "gen_random_uuid()", "1.1::float4", "'\\x00'::bytea"])
def test_types_that_rows_read_otherwise_are_read_by_rows(postgresql, monkeypatch, kind):
    monkeypatch.setattr(sql, "arrow_tables", None)
    (batch,) = sql.read_query(postgresql, f"select 1 as id, {kind} as other", HOW, None, "secret")
    assert batch.table["loc"].to_list() == ["https://www.marrowfen.example/walks/1/"]


def test_a_query_that_breaks_in_the_middle_says_where(postgresql):
    query = "select n as id, repeat('x', 1000), 1 / (60001 - n) from generate_series(1, 70000) n"
    rows = sql.read_query(postgresql, query, HOW, None, "secret")
    with pytest.raises(ContentError, match=r"failed (after [\d,]+ rows|on .*): .*division by zero"):
        list(rows)


def test_neither_way_writes(postgresql):
    with create_engine(postgresql.replace("://", "+psycopg://"), connect_args={"password": "secret"}).begin() as base:
        base.execute(text("create sequence counted"))
    query = "select setval('counted', 7) as id"
    with pytest.raises(ContentError, match="read-only"):
        list(sql.read_query(postgresql, query, HOW, None, "secret"))


def test_where_the_faster_way_does_not_get_in_the_other_is_taken(postgresql, monkeypatch):
    def broken(_url, _query, _begun):
        raise OSError("refused")
        yield

    monkeypatch.setattr(sql, "arrow_tables", broken)
    (batch,) = sql.read_query(postgresql, "select 1 as id", HOW, None, "secret")
    assert batch.table.height == 1


def test_who_interrupts_does_not_wait_for_the_database(postgresql, tmp_path):
    slow = "select n as id, pg_sleep(30)::text from generate_series(1, 2) n"
    (tmp_path / "t.db").touch()
    endless = "with recursive n(id) as (select 1 union all select id + 1 from n) select max(id) as id from n"
    for place, query, password in ((postgresql, slow, "secret"), ("sqlite:///t.db", endless, "")):
        begun = time.monotonic()
        alarm = threading.Timer(1, signal.pthread_kill, [threading.main_thread().ident, signal.SIGINT])
        alarm.start()
        with pytest.raises(KeyboardInterrupt):
            list(sql.read_query(place, query, HOW, tmp_path, password))
        alarm.join()
        assert time.monotonic() - begun < 25


@pytest.mark.parametrize(
    ("query", "why"),
    [("", "no rows"), ("pragma foreign_keys = 1", "no rows"), ("select 1 as id; select 2", "one statement"),
     ("select ? as id", "binding"), ("create table a (b)", "readonly"), ("select * from walks", "no such table")],
)  # fmt: skip
def test_a_query_that_gives_no_rows_is_told(tmp_path, query, why):
    (tmp_path / "t.db").touch()
    with pytest.raises(ContentError, match=rf"walks: the query failed on .*{why}"):
        list(sql.read_query("sqlite:///t.db", query, HOW, tmp_path))
