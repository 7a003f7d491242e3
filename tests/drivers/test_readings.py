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
    ("asyncpg", "taken by us", r"//[^/?]*(,\[|\][^:/?])", "since 3.11.12, 3.12.9 and 3.13.2 Python refuses a list in which more than a port stands beside an address's brackets"),
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
    # drivers of other languages
    ("pdo-pgsql|php-pgsql|dbd-pg|ruby-pg", "refused by us", r"keepalives|tcp_user_timeout|database=|://", "libpq looks at it only on a connection that it does not come to; an option of ours, and names it looks up first"),
    ("pdo-pgsql|php-pgsql|dbd-pg|ruby-pg|pgx/keyword", "taken by us", r"host ?= ?(\[::1\]|h:1)", "a name that cannot be one, which is warned of"),
    ("pgx/keyword|activerecord", "refused by us|taken by us", r"sslmode|channel_binding|gss|session_attrs|ssl_m|\t| = ", "without a host TLS is not looked at; words that libpq refuses later; blanks that are none"),
    ("php-pgsql", "another option", r"= ", "a value left out before a blank"),
    ("ruby-pg", "taken by us", r"a@b@|hostaddr|oauth|gss|ssl|,|%", "an older libpq does not know it; names that it looks up itself"),
    ("pgx|lib-pq", "refused by us", r"\[::1[^\]]*$|\[::1[:,/?]|port=|:0|:70000|:abc|u%|%zz|host=|dbname=", "a bracket, a port, an escape, which it overlooks because of another part"),
    ("pgx", "taken by us", r"ssl|port=", "files that are not there are found when it connects"),
    ("lib-pq", "another (database|password|hosts)", r"(dbname|password|port)=", "of a part and its option the later in the alphabet counts, once both are escaped"),
    ("node-pg", "another .*|taken by us", r"%|port=|password=|sslmode=|\"| |sslnegotiation", "an escape or a blank that is none makes it read all else otherwise; a port that is none"),
    ("node-pg|node-mariadb|ioredis|mongo-node", "refused by us", r"port=|db=|host=|a@b|=1\.5|=5s|=true|=zork|=-1|sslnegotiation=|\?$| $|\"", "what is no number becomes NaN, or as much of it as is one"),
    ("node-mariadb", "another .*|taken by us", r"port=|username=|maxAllowedPacket|collation| $", "a port that is none; a number that is none"),
    ("ioredis", "another hosts", r"port=(-1|0)", "a port that is none, which is told of"),
    ("mongo-node", "taken by us|another database", r"authMechanism|authSource|tls|=&|=$|p:w|a;b", "log-ins that lack something; empty values; a blank at the end"),
    ("mongo-go", ".*", r"readPreference|authMechanism|&=|connect=|tls|TLS|minPoolSize|maxConnecting|directConnection", "looked at when it connects; an option of no name; TLS by two names"),
    ("pgjdbc", ".*", r"host=|PGHOST|PGPORT|Port=|PGDBNAME|:0|:abc| $", "capitals and the long names of a host and port"),
    ("mariadb-java", ".*", r",/|,\?|localSocket|:0|credentialType|= *&|= *$|=1|:05432|:1:2| $|::1|%25eth0", "a comma at the end; a package that is missing; words of switches; addresses that are none"),
    ("go-mysql", ".*", r"autocommit|\(::1\)|\(\)|timeout|Timeout|loc=|unix\(", "what is a setting of the server; an address that it looks up; the last of a repeated one"),
    ("go-mssqldb", ".*", r"(?i)pwd|uid|log=|log =|=-1|= -1|::1|h:1|server=|port=|APP NAME|keepAlive", "names of later versions; numbers below 0; the query's server and port"),
    ("mysql2", "refused by us|another (database|user)", r"db=|%|username=", "options whose JSON is none of what they take"),
    ("pdo-mysql", "taken by us|another hosts", r"unix_socket=(;|$)|host=(;|$)|port=|\[::1\]", "an empty socket, which it tries to reach; a port that is none, which is told of"),
    ("mysqli", ".*", r'"port": "?(0|-1|1\.5|"|\D)', "a port that is none, which is told of; one that is a text, of which PHP itself complains"),
    ("dbd-mysql", ".*", r"port=|::1|ssl", "as much of a port as is a number; an address whose bracket nothing follows"),
    ("dbd-mariadb", ".*", r"port|socket=|ssl|(?i:compression)|user|password|hostname|timeout", "a socket beside nothing; a log-in that it knows and passes over"),
    ("activerecord", "refused by us", r"=&|=$|=5s|=1\.5|=-1| $|timeout|pool", "Active Record looks at its own options when the pool is made"),
    ("activerecord", "taken by us", r"x#y|=&?$|&=|ALLOW|PREFER|VERIFY|ANY|WRITE|SSL|ssl|options|zork|keepalives", "a # in a user; words that libpq refuses later"),
    ("sqlclient", ".*", r"g,h|h:1|::1|=;?$|;;|= ;|MultiSubnet|Pool|User Instance|Data Source|Connect|Active|Application Name", "Mono's reader; empty values and later synonyms"),
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
    if target == "sqlalchemy+mysqldb":
        pytest.importorskip("MySQLdb", reason="installed by scripts/test-drivers")
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
    assert [one for one in found if not is_left(target, one[1], one[0])] == []
    assert len(found) < COUNT * 0.025, found
