"""Drivers of other languages as readers: programs that answer, line by line, with what their driver made of a text."""

import base64
import os
import re
import shutil
import subprocess
from contextlib import contextmanager
from functools import cache
from pathlib import Path

from cordtally.notation.url_hosts import is_ipv6

from .doorman import open_doors
from .readers import libpq, said

HERE = Path(__file__).parent / "judges"
_WORD = re.compile(r"([^\s=]+)='((?:[^'\\]|\\.)*)'", re.DOTALL)
_KEY = re.compile(r"(?:^|;)\s*([^;=]+?)\s*=")
_NEW_WORDS = re.compile("(?i)strict|mandatory|optional")
GO = Path("/usr/share/gocode/src/github.com/denisenkom/go-mssqldb")
JARS = "/usr/share/java/postgresql.jar:/usr/share/java/mariadb-java-client.jar"


class Judge:
    """A driver's own reader in a process of its own: a text in, its parts out, or None where the driver refuses it."""

    def __init__(self, command, cwd=None, env=None):
        self.process = subprocess.Popen(command, cwd=cwd, env=env, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)

    def read(self, text, driver=""):
        encoded = base64.b64encode(text.encode("utf-8", "surrogatepass")).decode()
        self.process.stdin.write(f"{driver} {encoded}\n".lstrip())
        self.process.stdin.flush()
        answer = self.process.stdout.readline().split()
        if answer[0] == "refused":
            return None
        pairs = (word.partition(":") for word in answer[1:])
        return {name: base64.b64decode(value).decode("utf-8", "surrogatepass") for name, _, value in pairs}

    @cache  # noqa: B019 -- a judge lives as long as the session
    def takes(self, driver, name):
        """Whether the driver knows an option of this name."""
        return any(self.read(f"{name}={value}", driver) is not None for value in ("1", "true", "x"))

    def close(self):
        self.process.stdin.close()
        self.process.stdout.close()
        self.process.wait(10)


class Witness(Judge):
    """A driver upon one of the C clients, which a stand-in takes the place of: it says what the driver hands to it.

    A driver that speaks MySQL's protocol itself is led to a doorman instead.
    """

    def __init__(self, command, folder, *, doorman=False):
        self.line = folder / "line"
        door = {"DOORMAN": str(open_doors(self.line))} if doorman else {}
        library = folder / "witness.so"
        if not library.exists():
            subprocess.run(["cc", "-shared", "-fPIC", "-o", library, HERE / "witness.c", "-ldl"], check=True)
        super().__init__(command, env={**os.environ, "LD_PRELOAD": str(library), "WITNESS": str(self.line), **door})

    def read(self, text, driver=""):
        self.line.write_text("")
        self.process.stdin.write(f"{driver} {base64.b64encode(text.encode()).decode()}\n")
        self.process.stdin.flush()
        self.process.stdout.readline()
        lines = self.line.read_text().splitlines()
        pairs = [word.partition(":") for word in lines[0].split()] if lines else []
        return {name: bytes.fromhex(value).decode() for name, _, value in pairs} if lines else None


def java(source, folder):
    """Compile a program upon the drivers' jars, and give the command that runs it."""
    subprocess.run(["javac", "-cp", JARS, "-d", folder, source], check=True)
    return ["java", "-cp", f"{JARS}:{folder}", source.stem]


def go(source, folder):
    """Build a program upon Debian's Go packages, and give the command that runs it."""
    shutil.copy(source, folder)
    env = {**os.environ, "GO111MODULE": "off", "GOPATH": f"{folder}/path:/usr/share/gocode", "GOCACHE": str(folder / "cache"), "GOFLAGS": ""}
    subprocess.run(["go", "build", "-o", source.stem, source.name], cwd=folder, env=env, check=True)
    return [folder / source.stem]


def _go(folder):
    shutil.copytree(GO, folder / "path/src/github.com/denisenkom/go-mssqldb")
    shutil.copy(HERE / "export.go", folder / "path/src/github.com/denisenkom/go-mssqldb")
    return Judge(go(HERE / "gojudge.go", folder))


def _node(folder):
    modules = f"{os.environ['CORDTALLY_NODE']}/node_modules"
    return Judge(["node", "--no-warnings", HERE / "nodejudge.js"], env={**os.environ, "NODE_PATH": modules})


def _sqlclient(folder):
    command = ["mcs", "-r:System.Data.dll", f"-out:{folder}/judge.exe", HERE / "SqlClientJudge.cs"]
    subprocess.run(command, check=True)
    return Judge(["mono", folder / "judge.exe"])


START = {
    "pgjdbc": lambda folder: Judge(java(HERE / "PgJdbcJudge.java", folder)),
    "mariadb_java": lambda folder: Judge(java(HERE / "MariaDbJudge.java", folder)),
    "go": _go, "node": _node, "sqlclient": _sqlclient, "ruby": lambda folder: Witness(["ruby", HERE / "rubyjudge.rb"], folder),
    "php": lambda folder: Witness(["php", HERE / "phpjudge.php"], folder),
    "mysqlnd": lambda folder: Witness(["php", HERE / "phpjudge.php"], folder, doorman=True),
    "perl": lambda folder: Witness(["perl", HERE / "perljudge.pl"], folder),
}  # fmt: skip


@contextmanager
def started_judges(folders):
    """Start each judge when it is first asked for; the folders are pytest's."""
    started = {}

    def start(name):
        if name not in started:
            started[name] = START[name](folders.mktemp(name))
        return started[name]

    try:
        yield start
    finally:
        for judge in started.values():
            judge.close()


def _hosts(text, colon="|", default=None):
    pairs = []
    for one in text.split(",") if text else ():
        host, _, port = one.rpartition(colon) if colon in one and not one.endswith("]") else (one, "", "")
        host = host.removeprefix("[").removesuffix("]") if colon == ":" or not port else host
        pairs.append((host, int(port) if port.isdigit() else default))
    return tuple(pairs)


def _pgjdbc(found):
    hosts = tuple(zip(found.pop("PGHOST", "").split(","), map(int, found.pop("PGPORT", "5432").split(",")), strict=False))
    hosts = tuple((h[1:-1] if h[:1] == "[" and h[-1:] == "]" else h, p) for h, p in hosts)
    parts = said(user=found.pop("user", ""), password=found.pop("password", ""), database=found.pop("PGDBNAME", ""), hosts=hosts)
    return parts | {"options": found, "fills in": True}


def _mariadb_java(found):
    parts = said(user=found.get("user"), password=found.get("password"), database=found.get("database"), hosts=_hosts(found["hosts"]))
    if found.get("localSocket"):
        parts["hosts"] = ((found["localSocket"], None),)
    elif any(":" in host and port == 0 for host, port in parts.get("hosts", ())):
        raise ValueError("it reads no default port beside an IPv6 address")
    elif len(parts.get("hosts", ())) == 1 and not 0 < parts["hosts"][0][1] < 65536:
        raise ValueError("a port that is of no use")
    return parts | {"options": {"connectTimeout": found["connectTimeout"]}, "secure": found.get("useSsl") == "true"}


def _go_mysql(found):
    address, network = found.pop("address"), found.pop("network")
    if address.startswith("[[") or (network in {"tcp4", "tcp6"} and not re.search(r":\d+$", address)):
        raise ValueError("two pairs of brackets, or no port: it cannot be dialled")
    if network in {"", "tcp", "tcp4", "tcp6"} and not address.rpartition(":")[2].isdigit():
        raise ValueError("a port that is no number")
    if found.get("autocommit", "1").casefold() not in {"0", "1", "on", "off", "true", "false"}:
        raise ValueError("the server refuses that word")
    hosts = _hosts(address, ":", 3306) if network in {"tcp", "tcp4", "tcp6"} and "," not in address else ((address, None if address[:1] == "/" else 3306),)
    parts = said(user=found.pop("user"), password=found.pop("password"), database=found.pop("database"), hosts=hosts)
    for name in ("timeout", "readTimeout", "writeTimeout"):
        found[name] = int(found[name])
    return parts | {"options": found, "fills in": True, "socket": network not in {"", "tcp", "tcp4", "tcp6"}}


def _pgx(found):
    level, hosts = found.pop("level"), _hosts(found.pop("hosts"))
    del found["host"], found["port"]
    parts = said(user=found.pop("user"), password=found.pop("password"), database=found.pop("database"), hosts=hosts)
    level = {"level": level} if hosts and hosts[0][0][:1] != "/" else {}
    seconds = int(found.pop("timeout")) // 10**9
    return parts | {"options": found | ({"connect_timeout": seconds} if seconds else {}), "fills in": True} | level


def _lib_pq(found):
    words = {name: value.replace("\\'", "'").replace("\\\\", "\\") for name, value in _WORD.findall(found["keywords"])}
    hosts, ports = words.pop("host", ""), words.pop("port", "")
    parts = said(user=words.pop("user", ""), password=words.pop("password", ""), database=words.pop("dbname", ""))
    return parts | said(hosts=((hosts, int(ports) if ports else 5432),) if hosts or ports else ()) | {"options": words}


def _mongo_go(found):
    hosts = _hosts(found.pop("hosts"), ":", 27017)
    parts = said(user=found.pop("user"), password=found.pop("password"), database=found.pop("database"), hosts=hosts)
    return parts | {"options": found}


def _mssql(found):
    if found["host"].startswith("["):
        raise ValueError("a host in brackets is looked up with them")
    hosts = ((found["host"], int(found["port"])),)
    parts = said(user=found["user"], password=found["password"], database=found["database"], hosts=hosts)
    return parts | {"options": {"app name": found["app_name"], "packet size": found["packet_size"]}, "fills in": True}


def _node_config(port, extra=()):
    def view(found):
        verifies = found.pop("verifies", None)
        host, given = found.pop("host", ""), found.pop("port", "")
        host, given = found.pop("path", "") or found.get("socketPath", "") or host, given if given.lstrip("-").isdigit() else ""
        names = {"username": "user", "db": "database"}
        for old, new in names.items():
            if old in found:
                found[new] = found.pop(old)
        if port == 6379 and not (found.get("database") or "0").isdigit():
            raise ValueError("the server refuses a database that is no number")
        hosts = ((host.removeprefix("[").removesuffix("]"), int(given) if given else port),) if host or given else ()
        parts = said(user=found.pop("user", ""), password=found.pop("password", ""), database=found.pop("database", ""), hosts=hosts)
        return parts | {"options": found, "secure": verifies != "no TLS", "fills in": True}

    return view


def _on_libpq(found):
    return libpq(found["conninfo"].removesuffix(" connect_timeout=30")) | {"complete": False, "fills in": True}  # which PDO adds


def _on_mysql(found):
    socket, host, port = found.pop("socket", ""), found.pop("host", ""), int(found.pop("port", 0))
    if port > 65535:
        raise ValueError("a port that is none")
    hosts = ((socket, None),) if socket and host in {"", "localhost"} else ((host, port or 3306),) if host or port else ()
    return said(user=found.get("user"), password=found.get("password"), database=found.get("database"), hosts=hosts) | {"options": {}}


def _on_mysqlnd(found):
    host, port = found.pop("host", ""), int(found.pop("port", 0))
    socket = re.sub(r"^/(var/run/mysqld/mysqld|tmp/mysql)\.sock$", "localhost", found.pop("socket", ""))
    if not socket and not (host and port):
        raise ValueError("an address of nothing")
    return said(**found, hosts=((socket, None) if socket else (host, port),)) | {"options": {}, "fills in": True}


def _sqlclient_said(found):
    server, _, port = found["source"].removeprefix("tcp:").partition(",")
    hosts = ((server.partition("\\")[0], int(port) if port.strip().isdigit() else 1433),) if server or port else ()
    parts = said(user=found["user"], password=found["password"], database=found["database"], hosts=hosts)
    return parts | {"options": {"Application Name": found["name"], "Connect Timeout": found["timeout"]}}


def _mongo_node(found):
    database = "" if found["database"] == "test" else found["database"]
    parts = said(user=found["user"], password=found["password"], database=database, hosts=_hosts(found["hosts"], ":", 27017))
    return parts | {"options": {"connectTimeoutMS": found["timeout"]}, "secure": found["tls"] == "true"}


FOREIGN = {
    "pgjdbc": ("pgjdbc", "", _pgjdbc), "mariadb-java": ("mariadb_java", "", _mariadb_java), "go-mysql": ("go", "go-mysql", _go_mysql),
    "pgx/url": ("go", "pgx", _pgx), "pgx/keyword": ("go", "pgx", _pgx), "lib-pq/url": ("go", "lib-pq", _lib_pq),
    "mongo-go/url": ("go", "mongo-go", _mongo_go), "go-mssqldb/url": ("go", "go-mssqldb", _mssql), "go-mssqldb/ado": ("go", "go-mssqldb", _mssql),
    "node-pg/url": ("node", "node-pg_all", _node_config(5432)), "mysql2/url": ("node", "mysql2_all", _node_config(3306)),
    "node-mariadb/url": ("node", "node-mariadb_all", _node_config(3306)), "ioredis/url": ("node", "ioredis_all", _node_config(6379)),
    "mongo-node/url": ("node", "mongo-node", _mongo_node),
    "pdo-mysql/dsn": ("mysqlnd", "pdo-mysql", _on_mysqlnd), "mysqli/arguments": ("mysqlnd", "mysqli", _on_mysqlnd),
    "pdo-pgsql/dsn": ("php", "pdo-pgsql", _on_libpq), "php-pgsql/keyword": ("php", "php-pgsql", _on_libpq),
    "dbd-pg/dsn": ("perl", "dbd-pg", _on_libpq), "dbd-mysql/dsn": ("perl", "dbd-mysql", _on_mysql), "dbd-mariadb/dsn": ("perl", "dbd-mariadb", _on_mysql),
    "ruby-pg/keyword": ("ruby", "ruby-pg", _on_libpq), "ruby-pg/url": ("ruby", "ruby-pg", _on_libpq),
    "activerecord+pg/url": ("ruby", "activerecord", _on_libpq), "activerecord+mysql2/url": ("ruby", "activerecord", _on_mysql),
    "sqlclient/semicolon": ("sqlclient", "", _sqlclient_said),
}  # fmt: skip


def takes(target, judges):
    """Which options the installed version knows: facts are of the newest one."""
    judge = judges(FOREIGN[target][0]) if target in FOREIGN else None

    def known(option):
        if target == "sqlclient/semicolon":
            return judge.takes("", option.name)
        newer = ("a later", "16", "17", "18") if target.startswith("ruby-pg") else "a later"
        return not (option.since or "").startswith(newer)

    return known


def dialled(parts):
    """Refuse what the driver takes, and cannot dial: a host with a colon, a bracket or an @ is found by no resolver."""
    for host, _ in () if parts.get("socket") else parts.get("hosts", ()):
        address = host.partition("%")[0]
        if host[:1] not in {"/", "@"} and (set(host) & set("[]@") or (":" in host and not is_ipv6(address))):
            raise ValueError(f"{host} is no host")
    return parts


def reader(target, judges):
    """The reader of a target of another language."""
    name, driver, view = FOREIGN[target]
    judge = judges(name)

    def read(text):
        found = judge.read(text, driver)
        if target == "sqlclient/semicolon" and (_NEW_WORDS.search(text) or not all(judge.takes("", name) for name in _KEY.findall(text))):
            raise FileNotFoundError(2, "Mono has an older one", "version 6.8")
        if target == "ruby-pg/url" and " " in text:
            raise FileNotFoundError(2, "libpq takes blanks up to 17, and refuses them since", "version 15")
        if target == "pgjdbc" and "service=" in text:
            raise FileNotFoundError(2, "the service's file", "pg_service.conf")
        if target == "node-pg/url" and re.search("ssl(cert|key|rootcert)=", text):
            raise FileNotFoundError(2, "a file", "file")
        if target == "go-mysql" and ("serverPubKey=" in text or "loc=" in text or "tls=" in text) and found is None:
            raise FileNotFoundError(2, "what is registered in Go, or a time zone", "zone")
        if target.startswith("pgx") and ("service" in text or "passfile" in text or "ssl" in text.partition("sslmode=")[0]):
            raise FileNotFoundError(2, "a file", "file")
        if found is None:
            raise ValueError(text)
        return dialled(view(found))

    return read
