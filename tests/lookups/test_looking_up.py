"""Looking up what a cord only names: real files in a temporary home, and a resolver of our own."""

import pytest

import cordtally as ct
from cordtally.lines.passwords import read_passwords
from cordtally.lookups import LookUpError, ServiceRecord, find_password, resolve
from cordtally.lookups.places import Places
from cordtally.lookups.service_records import RecordError, Records
from cordtally.model import Cord, Host

SERVICES = "[other]\nhost=no\n# a remark\n[tides]\nhost=gauge.greywick.example\nport=5433\ndbname=tides\nuser=keeper of tides\nsslmode=require\n"
ALIASES = """# Greywick Harbour
IFILE = more/old.ora
charts, charts_high =
  (DESCRIPTION =
    (ADDRESS_LIST = (LOAD_BALANCE = on)
      (ADDRESS = (PROTOCOL = tcps)(HOST = a.greywick.example)(PORT = 2484))
      (ADDRESS = (PROTOCOL = tcps)(HOST = b.greywick.example)(PORT = 2484)))
    (CONNECT_DATA = (SERVICE_NAME = charts)))
circle = nowhere
"""
SOURCES = "[ledger]\nDriver = MariaDB Unicode\nServer = berths.greywick.example\nDatabase = berths\nUser = clerk\n[tds]\nDriver=/opt/lib/libtds.so\nServer=desk\\CUSTOMS\n"


@pytest.fixture
def places(tmp_path):
    (tmp_path / ".pg_service.conf").write_text(SERVICES)
    (tmp_path / "tnsnames.ora").write_text(ALIASES)
    (tmp_path / "more").mkdir()
    (tmp_path / "more" / "old.ora").write_text("" + "IFILE=../tnsnames.ora\n" * 10 + "old = charts.greywick.example:1522/old\n")
    (tmp_path / ".odbc.ini").write_text(SOURCES)
    (tmp_path / "odbcinst.ini").write_text("[FreeTDS]\nDriver=/opt/lib/libtds.so\n")
    return Places({"ODBCSYSINI": str(tmp_path), "PGSYSCONFDIR": str(tmp_path)}, tmp_path)


def test_a_service_fills_in_what_is_not_stated(places):
    cord = resolve(ct.read("service=tides user=pilot connect_timeout=5"), places=places).cord
    assert (cord.hosts, cord.user, cord.database) == ((Host("gauge.greywick.example", 5433),), "pilot", "tides")
    assert cord.tls.level is ct.TlsLevel.ENCRYPTED
    with pytest.raises(LookUpError, match="the service tydes is in none of"):
        resolve("service=tydes host=h", places=places)


@pytest.mark.parametrize(
    ("text", "hosts", "database"),
    [
        ("jdbc:oracle:thin:keeper/x@CHARTS_HIGH?TNS_ADMIN={}", ["a.greywick.example", "b.greywick.example"], "charts"),
        ("jdbc:oracle:thin:@old?TNS_ADMIN={}", ["charts.greywick.example"], "old"),
    ],
)
def test_an_alias_leads_to_its_descriptor(places, text, hosts, database):
    found = resolve(text.format(places.home), places=places)
    assert ([h.address for h in found.cord.hosts], found.cord.database) == (hosts, database)
    assert found.cord.discovery.kind.value == "direct"


def test_an_alias_that_is_nowhere_says_where_it_was_looked_for(places):
    with pytest.raises(LookUpError, match=r"looked in .*tnsnames\.ora"):
        resolve(f"jdbc:oracle:thin:@chart?TNS_ADMIN={places.home}", places=places)
    with pytest.raises(LookUpError, match="no folder to look the alias chart up in"):
        resolve("jdbc:oracle:thin:@chart", places=places)


def test_a_data_source_brings_its_driver(places):
    found = resolve(ct.read("DSN=Ledger;UID=pilot;PWD=x", driver="odbc"), places=places)
    assert (found.driver, found.cord.engine, found.cord.user, found.cord.database) == ("mariadb-odbc", "mariadb", "pilot", "berths")
    found = resolve(ct.read("DSN=tds", driver="odbc"), places=places)
    assert (found.driver, found.cord.hosts) == ("freetds-odbc", (Host("desk", None, "CUSTOMS"),))


def records(hosts, *texts):
    return lambda service, name: Records([ServiceRecord(h, 27017 + i) for i, h in enumerate(hosts)], texts)


def test_a_service_record_brings_hosts_and_options():
    text = "mongodb+srv://keeper:x@roster.greywick.example/roster?retryWrites=false"
    found = resolve(text, resolver=records(["b.greywick.example.", "a.greywick.example."], "authSource=admin&replicaSet=tide")).cord
    written = ct.write(found.copy_with(password=None), "pymongo").text.unmask()
    assert written.startswith("mongodb://keeper@a.greywick.example:27018,b.greywick.example:27017/roster?")
    assert (found.authentication.realm, dict(found.options)["replica_set"]) == ("admin", "tide")


@pytest.mark.parametrize(
    ("answer", "told"),
    [
        (records([]), "names no host"),
        (records(["h.elsewhere.example"]), "outside its domain"),
        (records(["a.greywick.example"], "ssl=false"), "sets ssl, which drivers do not accept"),
        (records(["a.greywick.example"], "authSource=a", "authSource=b"), "several text records"),
    ],
)
def test_a_service_record_that_no_driver_would_accept(answer, told):
    with pytest.raises(RecordError, match=told):
        resolve("mongodb+srv://roster.greywick.example/roster", resolver=answer)


@pytest.mark.parametrize("folder", ["/var/run/postgresql", "/run/fog", "/tmp", ""])
def test_the_password_of_a_socket_is_the_one_that_libpq_sends(folder, tmp_path):
    import psycopg

    path = tmp_path / "passfile"
    path.write_text("/run/fog:*:*:*:by-folder\n/var/run/postgresql:*:*:*:by-default\n/tmp:*:*:*:by-source\nlocalhost:*:*:*:by-name\n")
    path.chmod(0o600)
    connection = psycopg.pq.PGconn.connect_start(f"host='{folder}' user=keeper dbname=tides passfile={path}".encode())
    assert connection.password.decode() == find_password(Cord("postgresql", (Host(folder),), "tides", "keeper"), path=path)[0].unmask()


def test_the_password_file_and_its_permissions(places):
    cord = Cord("postgresql", (Host("gauge", 5433),), "ti:des", "kee\\per")
    path = places.home / ".pgpass"
    path.write_text("# none\nother:*:*:*:no\n" + r"gauge:5433:ti\:des:kee\\per:fog\:1\\2" + "\n*:*:*:*:last\n")
    path.chmod(0o644)
    assert find_password(cord, places)[0] is None
    path.chmod(0o600)
    assert find_password(cord, places)[0].unmask() == "fog:1\\2"
    assert find_password(cord.copy_with(user="x"), places)[0].unmask() == "last"
    assert resolve(cord, places=places).cord.password.unmask() == "fog:1\\2"
    assert [[f.value for f in fields] for _, fields in read_passwords("a\\:b:1:d:u:p\\:q:r")] == [["a:b", "1", "d", "u", "p:q"]]
