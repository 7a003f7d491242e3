"""Strategies for the laws: cords with any Unicode where people put text, for the engines of the catalog."""

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
NAMES = ["gauge.greywick.example", "tide-1", "192.0.2.7", "2001:db8::1", "fe80::1%eth0", "/var/run/postgresql", "@abstract"]
HOSTS = st.builds(Host, st.sampled_from(NAMES), st.none() | st.integers(1, 65535))
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


def option_values(name: str):
    fact = load_canonical()[name]
    return st.sampled_from(fact.values) if fact.type == "word" else BY_TYPE[fact.type]


@st.composite
def cords(draw, target: str):
    driver = load_driver(target.partition("/")[0])
    canonical = load_canonical()
    listed = draw(st.lists(st.sampled_from(sorted(canonical)), max_size=4, unique=True))
    own = [n for n in sorted(driver.by_canonical) if n in canonical]
    if own:
        listed = sorted({*listed, *draw(st.lists(st.sampled_from(own), max_size=3, unique=True))})
    native = {}
    for option in draw(st.lists(st.sampled_from(sorted(driver.options)), max_size=2, unique=True)):
        fact = driver.options[option]
        nesting = driver.nested is not None and option == driver.nested[0]
        if fact.canonical is None and fact.type == "str" and not nesting:
            value = draw(ANY_TEXT)
            native[f"{fact.vocabulary}/{option}"] = Secret(value) if fact.secret else value
    service = st.builds(Discovery, st.just(DiscoveryKind.SERVICE), st.text(min_size=1, max_size=5))
    return Cord(
        engine=draw(st.sampled_from(driver.engines)),
        hosts=tuple(draw(st.lists(HOSTS, max_size=3))),
        database=draw(st.none() | ANY_TEXT),
        user=draw(st.none() | ANY_TEXT),
        password=draw(st.none() | st.builds(Secret, ANY_TEXT)),
        authentication=draw(st.builds(Authentication, st.none() | st.sampled_from(AuthenticationMethod))),
        tls=draw(TLS),
        discovery=draw(st.just(Discovery()) | service),
        options=tuple((name, draw(option_values(name))) for name in listed),
        native=tuple(sorted(native.items())),
    )
