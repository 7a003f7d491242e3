"""Strategies for the laws: cords with any Unicode where people put text, for the engines of the catalog."""

from functools import cache

from hypothesis import strategies as st

from cordtally.catalog import driver_ids, load_canonical, load_driver
from cordtally.model import (
    Authentication,
    AuthenticationMethod,
    ByteSize,
    Cord,
    Discovery,
    DiscoveryKind,
    Duration,
    Host,
    Secret,
    Tls,
    TlsLevel,
)  # fmt: skip

TARGETS = [f"{d}/{n.id}" for d in driver_ids() for n in load_driver(d).notations]
ANY_TEXT = st.text(max_size=12) | st.text(alphabet=" '\"\\;={}%@:/?#&+[](),\x00é😀$", max_size=8)
NAMES = ["gauge.greywick.example", "tide-1", "192.0.2.7", "2001:db8::1", "fe80::1%eth0", "/var/run/postgresql", "@abstract", r"\\quay\pipe\sql"]
INSTANCES = st.none() | st.sampled_from(["DESK", "a,b\\c"])
HOSTS = st.builds(Host, st.sampled_from(NAMES), st.none() | st.integers(1, 65535), st.none() | INSTANCES)
LEVELS = st.none() | st.sampled_from(TlsLevel)
PATHS = st.none() | st.sampled_from(["/etc/harbour/ca.pem", "C:\\harbour\\ca.pem", "ca & key;'x'.pem"])
TLS = st.builds(Tls, LEVELS, PATHS, PATHS, PATHS, st.none() | st.builds(Secret, ANY_TEXT))
SPANS = st.integers(0, 10**15).map(Duration) | st.integers(0, 100).map(Duration.of) | st.just(Duration(None))
BY_TYPE = {
    "duration": SPANS,
    "bool": st.booleans(),
    "int": st.integers(-5, 10**6),
    "str": ANY_TEXT,
    "bytes": st.integers(0, 2**40).map(ByteSize),
}


KINDS = st.sampled_from([DiscoveryKind.SERVICE, DiscoveryKind.ALIAS, DiscoveryKind.SRV])
LOOKED_UP = st.builds(Discovery, KINDS, st.text(min_size=1, max_size=5) | st.just("tides.greywick.example"))
LOGINS = st.builds(Authentication, st.none() | st.sampled_from(AuthenticationMethod), st.none() | ANY_TEXT)


def _pairs(strategies: dict, most: int):
    """Some of the pairs of name and value, no name twice."""
    if not strategies:
        return st.just(())
    one = st.one_of([st.tuples(st.just(name), values) for name, values in sorted(strategies.items())])
    return st.lists(one, max_size=most, unique_by=lambda pair: pair[0]).map(lambda pairs: tuple(sorted(pairs)))


@cache
def cords(target: str):
    """Cords for an engine that the target speaks to; half of their options are such as the driver knows."""
    driver, canonical = load_driver(target.partition("/")[0]), load_canonical()
    values = {n: st.builds(Secret, ANY_TEXT) if f.secret else st.sampled_from(f.values) if f.type == "word" else BY_TYPE[f.type] for n, f in canonical.items()}
    own = {n: v for n, v in values.items() if n in driver.by_canonical}
    native = {
        f"{fact.vocabulary}/{name}": st.builds(Secret, ANY_TEXT) if fact.secret else ANY_TEXT
        for name, fact in driver.options.items()
        if fact.canonical is None and fact.type == "str" and not (driver.nested and name == driver.nested[0])
        and all(n.carries is None or n.carries[0] != name for n in driver.notations)
    }  # fmt: skip
    return st.builds(
        Cord,
        engine=st.sampled_from(driver.engines),
        hosts=st.lists(HOSTS, max_size=3).map(tuple),
        database=st.none() | ANY_TEXT | st.sampled_from(["tides", "7"]),
        user=st.none() | ANY_TEXT,
        password=st.none() | st.builds(Secret, ANY_TEXT),
        authentication=LOGINS,
        tls=TLS,
        discovery=st.just(Discovery()) | LOOKED_UP,
        options=_pairs(own or values, 4) | _pairs(values, 4),
        native=_pairs(native, 2),
    )
