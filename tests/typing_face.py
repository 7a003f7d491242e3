"""The public face as a type checker sees it: checked by mypy in scripts/test, never run."""

from collections.abc import Mapping
from typing import assert_type

import pandas as pd

import cordtally as ct
from cordtally import catalog, servers
from cordtally.notation import (
    Grammar,
    arguments,
    comma,
    descriptor,
    dsn,
    easyconnect,
    environment,
    firebird,
    hostpairs,
    keyword,
    oraclejdbc,
    path,
    pathpairs,
    sections,
    semicolon,
    url,
)
from cordtally.servers import amqp, influxdb, jdbc, memcached, mysql, postgresql, redis, sqlite

reading = ct.read("postgresql://gauge.greywick.example/tides")
assert_type(reading, ct.Reading)
assert_type(reading.cord.text("psycopg"), str)
assert_type(ct.drivers(engine="postgresql"), tuple[catalog.Driver, ...])
assert_type(bool(ct.dial(reading.cord)), bool)
assert_type(reading.cord, ct.Cord)
assert_type(reading.cord.tls.level, ct.TlsLevel | None)
writing = ct.write(reading.cord, "pgjdbc")
assert_type(writing, ct.Writing)
assert_type(writing.text, ct.MaskedText)
assert_type(writing.text.unmask(), str)
assert_type(writing.ledger, ct.Ledger)
assert_type(ct.convert("host=h", to="npgsql"), ct.Writing)
assert_type(ct.compare("host=h", "host=g").same_place, bool)
findings = ct.vet("host=h")
assert_type(findings, ct.Findings)
assert_type(findings[0], ct.Finding)
assert_type([found.why for found in findings], list[str])
assert_type(findings.to_frame(), pd.DataFrame)
tally = ct.load()
assert_type(tally.cord("tides", environment="production"), ct.Cord)
assert_type(tally.cord("tides").arguments("psycopg"), dict[str, object])
assert_type(ct.dial(reading.cord), ct.DialResult)
assert_type(ct.size_pool(ct.PoolLoad(arrivals=1, hold=1), "5ms@p99").recommended, int | None)
assert_type(ct.fetch("env:NAME"), ct.Secret)
load = ct.PoolLoad(arrivals="120/s", hold="35ms", acquire_timeout=ct.Duration.of(1))
assert_type(load.hold, float)
assert_type(ct.size_pool(load, "5ms@p99").to_frame(), pd.DataFrame)
assert_type(ct.dial(reading.cord, limit="2s").broke_at, str | None)
assert_type(ct.dial(reading.cord).to_frame(), pd.DataFrame)
assert_type(ct.sweep(".", "services").hits[0].masked, str)
assert_type(ct.resolve(reading, limit="2s").cord, ct.Cord)
assert_type(ct.text_for(reading.cord, "psycopg"), str)
assert_type(ct.compose(engine="postgresql", host="h").copy_with(user="u"), ct.Cord)
assert_type(ct.change_wallet(reading.cord, None)[0], ct.Cord)
assert_type(ct.parse_locator("env:NAME"), ct.Locator)
assert_type(reading.to_dict(), dict[str, object])
assert_type(tally.environments, Mapping[str, Mapping[str, Mapping[str, object]]])
error = ct.TallyError("broken", path="tally.toml", line=3)
assert_type(error.path, str | None)
assert_type(error.line, int | None)
assert_type(error.nearest, tuple[str, ...])
assert_type(ct.AmbiguousText("which").targets, tuple[str, ...])

# the Protocols, held against each of their modules
_arguments: Grammar[arguments.Dialect] = arguments
_comma: Grammar[comma.Dialect] = comma
_descriptor: Grammar[descriptor.Dialect] = descriptor
_dsn: Grammar[dsn.Dialect] = dsn
_easyconnect: Grammar[easyconnect.Dialect] = easyconnect
_environment: Grammar[environment.Dialect] = environment
_firebird: Grammar[firebird.Dialect] = firebird
_hostpairs: Grammar[hostpairs.Dialect] = hostpairs
_pathpairs: Grammar[pathpairs.Dialect] = pathpairs
_keyword: Grammar[keyword.Dialect] = keyword
_oraclejdbc: Grammar[oraclejdbc.Dialect] = oraclejdbc
_path: Grammar[path.Dialect] = path
_sections: Grammar[sections.Dialect] = sections
_semicolon: Grammar[semicolon.Dialect] = semicolon
_url: Grammar[url.Dialect] = url
_servers: list[servers.EngineServer] = [mysql, postgresql, redis, sqlite]
_dialled: list[servers.Dialled] = [amqp, influxdb, memcached, jdbc.for_engine("h2")]
