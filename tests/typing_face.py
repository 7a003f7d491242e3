"""The public face as a type checker sees it: checked by mypy in scripts/test, never run."""

from typing import assert_type

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
    sections,
    semicolon,
    url,
)
from cordtally.servers import mysql, postgresql, redis, sqlite

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
assert_type(ct.vet("host=h"), tuple[ct.Finding, ...])
tally = ct.load()
assert_type(tally.cord("tides", environment="production"), ct.Cord)
assert_type(tally.cord("tides").arguments("psycopg"), dict[str, object])
assert_type(ct.dial(reading.cord), ct.DialResult)
assert_type(ct.size_pool(ct.PoolLoad(arrivals=1, hold=1), "5ms@p99").recommended, int | None)
assert_type(ct.fetch("env:NAME"), ct.Secret)

# the Protocols, held against each of their modules
_arguments: Grammar[arguments.Dialect] = arguments
_comma: Grammar[comma.Dialect] = comma
_descriptor: Grammar[descriptor.Dialect] = descriptor
_dsn: Grammar[dsn.Dialect] = dsn
_easyconnect: Grammar[easyconnect.Dialect] = easyconnect
_environment: Grammar[environment.Dialect] = environment
_firebird: Grammar[firebird.Dialect] = firebird
_hostpairs: Grammar[hostpairs.Dialect] = hostpairs
_keyword: Grammar[keyword.Dialect] = keyword
_oraclejdbc: Grammar[oraclejdbc.Dialect] = oraclejdbc
_path: Grammar[path.Dialect] = path
_sections: Grammar[sections.Dialect] = sections
_semicolon: Grammar[semicolon.Dialect] = semicolon
_url: Grammar[url.Dialect] = url
_servers: list[servers.EngineServer] = [mysql, postgresql, redis, sqlite]
