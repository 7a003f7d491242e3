"""Reading judged by generation: what a driver's own reader makes of a text is what we make of it.

Texts are drawn afresh for each seed (``CORDTALLY_SEED``); the share that is read otherwise stays below two in a hundred,
each kind that is left is named in `LEFT` with its reason, and none of them is a password, a host, a port or TLS that we
read as something else without a word.
"""

import json
import logging
import os
import re

import pytest

from .compared import disagreement
from .foreign_readers import FOREIGN, reader, started_judges, takes
from .generated import Texts
from .readers import READERS, quiet

# aiomysql and asyncmy leave a refused connection to the garbage collector
pytestmark = pytest.mark.filterwarnings("ignore::pytest.PytestUnraisableExceptionWarning")
JUDGED = os.environ.get("CORDTALLY_JUDGES") == "1"
SEED, COUNT = os.environ.get("CORDTALLY_SEED", "harbour"), 2000 if JUDGED else 400
# the kind and the text of what may differ, by driver, and why
LEFT = [
    ("libpq|psycopg", "taken by us", r"hostaddr|port=-1|port=0|:0|:70000", "addresses beside hosts are not counted; a port that is none is told of each host"),
    ("libpq|psycopg", "refused by us", r"keepalives=2|=(-1|1\.5|zork|[a-z]+)\b", "libpq looks at it only on a connection that it does not come to"),
    ("libpq|psycopg|sqlalchemy", "refused by us", r"//([^/]*@)?[^/?]*(:1:2|::1|\[[^/?]*,|,[^/?]*\[)|:abc|a@b:|[ #]|port=", "a port or an address that is none, which it overlooks because of another part"),
    ("libpq|psycopg|asyncpg|pymongo|sqlalchemy", "taken by us|another hosts", r"\[::1[^\]]", "a bracket without its partner"),
    ("libpq|psycopg|asyncpg", "taken by us", r"=&|=$|#x", "empty values, and what follows a # in a port"),
    ("psycopg2", "another option", r" $", "a blank at the end of a number"),
    ("asyncpg", "refused by us", r"\]:|(%2F|disable).*_protocol_version|_protocol_version.*disable| $", "what follows an address in brackets, and TLS that is not used, is not looked at"),
    ("asyncpg", "another (password|database)", r"password=|database=|dbname=", "a password or a database that is there and empty: the query's counts"),
    ("pymongo", "taken by us", r"(?i)heartbeatFrequencyMS|authMechanism|maxStaleness|#x|authSource=$|\[::1[^\]]|tls", "numbers below the least, and log-ins that lack something"),
    ("pymongo", "another option", r"compressors|Tags|[A-Z]{5}", "lists, of which only known members count"),
    ("pymongo|redis-py", "refused by us", r"=&|=$|=-1|=0|host=|port=", "an empty value counts as given; a number below 0 is handed to the socket"),
    ("redis-py", "taken by us", r"timeout=|db=", "timeout is of BlockingConnectionPool; a database that is no number"),
    ("redis-py", "another (option|password|database)", r"decode_responses|ocsp|password=|db=0", "a switch in a URL is a text, and any is a yes"),
    ("clickhouse", ".*", r"=-1|compression|=zork", "a number below 0 is handed to the socket; a package for lz4 is missing"),
    ("sqlalchemy", "refused by us", r"(host|port|user|password|\w+)=.*", "what is wrong in a value, the driver says only when it connects"),
    ("sqlalchemy", "taken by us", r"\?|:70000|#x|/\(a\)", "values of the wrong kind, and of several hosts without ports"),
    ("sqlalchemy.mysqldb|sqlalchemy.pymysql", "another database", r"db=.*database=|database=.*db=", "two names of one option"),
    ("sqlalchemy.oracledb", "another (option|user)", r"mode=|/[^?]* $|//:", "a mode that is a number; blanks around a SID; an empty user"),
    ("sqlalchemy.sqlite3", "another database", r"\?.*\?|=1", "a ? inside a file's name; an option that sounds secret stays outside of it"),
    ("sqlalchemy", "another hosts", r"unix_socket=[^/]|host=|%22|\"| ", "a socket that is no path, and names that a descriptor cannot hold"),
]  # fmt: skip


def is_left(target, kind, text):
    return any(re.match(driver, target) and re.fullmatch(of, kind) and re.search(form, text) for driver, of, form, _ in LEFT)


def judge(target, read, monkeypatch, tmp_path, **options):
    """The texts that were read otherwise, with the kind and the facts of each; what was seen goes on record."""
    monkeypatch.setenv("HOME", str(tmp_path))
    logging.disable()
    texts = Texts(target, SEED, **options)
    drawn = [texts.one() for _ in range(COUNT)]
    judged = [(text, quiet(read, text)) for text in drawn]
    logging.disable(logging.NOTSET)
    found = [(text, *differs) for text, theirs in judged if (differs := disagreement(text, target, theirs)) is not None]
    if (record := os.environ.get("CORDTALLY_JUDGED")) is not None:
        kinds = {kind: sum(k == kind for _, k, _ in found) for _, kind, _ in found}
        taken = sum(theirs is not None for _, theirs in judged)
        with open(record, "a") as stream:
            stream.write(json.dumps({"reader": target, "texts": COUNT, "taken": taken, "kinds": kinds}) + "\n")
    return found


@pytest.mark.parametrize("target", READERS)
def test_a_text_is_read_as_its_driver_reads_it(target, monkeypatch, tmp_path):
    found = judge(target, READERS[target], monkeypatch, tmp_path)
    assert [one for one in found if not is_left(target, one[1], one[0])] == []
    # of fewer texts, chance alone makes three in a hundred
    assert len(found) < COUNT * (0.02 if JUDGED else 0.03), found


@pytest.fixture(scope="module")
def judges(tmp_path_factory):
    with started_judges(tmp_path_factory) as start:
        yield start


@pytest.mark.skipif(not JUDGED, reason="run by scripts/test-drivers")
@pytest.mark.parametrize("target", FOREIGN)
def test_a_text_is_read_as_a_driver_of_another_language_reads_it(target, judges, monkeypatch, tmp_path):
    found = judge(target, reader(target, judges), monkeypatch, tmp_path, takes=takes(target, judges))
    assert [one for one in found if one[1] == "crash"] == []
    assert len(found) < COUNT * 0.025, found
