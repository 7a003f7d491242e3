"""What is done in a network of one's own: ``python -m tests.dialing.from_outside dial TEXT…`` or ``outside``, ``full`` or ``poor``; prints JSON."""

import json
import os
import resource
import socket
import sqlite3
import subprocess
import sys
import tempfile
import threading
from contextlib import suppress
from pathlib import Path

import dns.flags
import dns.message
import dns.rcode
import pymysql
import redis

import cordtally as ct
from cordtally.granting import create_database
from cordtally.model import Host, Secret, Tls, TlsLevel
from cordtally.servers import Deadline, server_for

from .. import servers
from .test_states import becomes, running, told

HERE = "192.0.2.1"


def dial(texts):
    return [told(ct.dial(text, limit=1))[:2] for text in texts]


def guarded_redis(folder):
    command = [servers.find_program("redis-server"), "--port", str(port := servers.free_port()), "--bind", "0.0.0.0", "--dir", str(folder), "--save", ""]
    with running(command, folder):
        return becomes(ct.Cord("redis", (Host(HERE, port),), "0", tls=Tls(TlsLevel.OFF)), ("log in", "protected", "DENIED"))


def counting_mariadb(folder):
    """Log in wrongly more often than the server lets a machine fail to connect; then fail to connect so often."""
    (folder / "hosts").write_text(Path("/etc/hosts").read_text() + f"{HERE} berths.greywick.example\n")
    with servers.mariadb(folder, more=("--skip-name-resolve=0", "--max-connect-errors=3", "--performance-schema=on")) as server:
        subprocess.run(["mount", "--bind", str(folder / "hosts"), "/etc/hosts"], check=True)
        cord = ct.Cord("mariadb", (Host(HERE, server.port),), None, "harbour_master", Secret("x"), tls=Tls(TlsLevel.OFF))
        wrong = [told(ct.dial(cord)) for _ in range(6)]
        with pymysql.connect(host="127.0.0.1", port=server.port, user="harbour_master", password=servers.ADMIN_PASSWORD) as one, one.cursor() as cursor:
            cursor.execute("SELECT sum_connect_errors FROM performance_schema.host_cache WHERE ip = %s", (HERE,))
            ((counted,),) = cursor.fetchall()
            for _ in range(4):
                socket.create_connection((HERE, server.port)).close()
            blocked = becomes(cord, ("log in", "blocked", "1129"))
            cursor.execute("RENAME USER harbour_master@'%' TO harbour_master@'127.0.0.1'")
            cursor.execute("FLUSH PRIVILEGES")
            cursor.execute("FLUSH HOSTS")
            unknown = told(ct.dial(cord))
            cursor.execute("RENAME USER harbour_master@'127.0.0.1' TO harbour_master@'%'")
    return {"wrong": wrong, "counted": counted, "blocked": blocked, "unknown": unknown}


def full_disk(folder):
    """Servers on a small file system that is filled up: the one lets in and cannot make a database, the other refuses."""
    subprocess.run(["mount", "-t", "tmpfs", "-o", "size=100m", "tmpfs", str(folder)], check=True)
    command = [servers.find_program("redis-server"), "--port", str(port := servers.free_port()), "--dir", str(folder), "--save", "3600 1"]
    with servers.postgresql(folder) as server, running(command, folder):
        asked = ct.Cord("redis", (Host("127.0.0.1", port),), "0", tls=Tls(TlsLevel.OFF))
        becomes(asked, None)
        client = redis.Redis(port=port)
        client.set("berths", "x" * 100_000)
        with suppress(OSError), (folder / "fills").open("wb", buffering=0) as stream:
            while stream.write(b"x" * 4096) == 4096:
                pass
        client.bgsave()
        cord = ct.Cord("postgresql", (Host("127.0.0.1", server.port),), "nowhere", "harbour_master", Secret(servers.ADMIN_PASSWORD))
        try:
            create_database(cord)
            made = None
        except ct.CordTallyError as error:
            made = str(error)
        return {"redis": becomes(asked, ("log in", "disk-full", "MISCONF")), "postgresql": made}


def name_server(plug):
    """It knows the names, and no address of theirs; it knows no services."""
    while True:
        asked, client = plug.recvfrom(512)
        reply = dns.message.make_response(dns.message.from_wire(asked))
        reply.flags |= dns.flags.RA  # without it, an empty answer would send the resolver to another name server
        if reply.question[0].name.labels[0].startswith(b"_"):
            reply.set_rcode(dns.rcode.NXDOMAIN)
        plug.sendto(reply.to_wire(), client)


def poor(folder):
    """A process that lacks what others have: names, ports, files, rights, room."""
    (folder / "resolv.conf").write_text("nameserver 127.0.0.1\n")
    subprocess.run(["mount", "--bind", str(folder / "resolv.conf"), "/etc/resolv.conf"], check=True)
    plug = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    plug.bind(("127.0.0.1", 53))
    threading.Thread(target=name_server, args=(plug,), daemon=True).start()
    found = {"names": dial(["postgresql://u@berths.greywick.example/d", "mongodb+srv://berths.greywick.example/d"])}
    listener = socket.create_server(("127.0.0.1", 5432))
    Path("/proc/sys/net/ipv4/ip_local_port_range").write_text("40000 40001")
    with socket.create_connection(("127.0.0.1", 5432)), socket.create_connection(("127.0.0.1", 5432)):
        found["ports"] = dial(["postgresql://u@127.0.0.1/d"])
    listener.close()
    (folder / "shut").mkdir(0o700)
    (folder / "shut/berths.db").touch()
    with sqlite3.connect(folder / "berths.db") as made:
        made.execute("CREATE TABLE berths (name text)")
    (folder / "berths.db").chmod(0o666)
    folder.chmod(0o755)
    with socket.socket(socket.AF_UNIX) as listener:
        listener.bind(str(folder / ".s.PGSQL.5432"))
        listener.listen()
        (folder / ".s.PGSQL.5432").chmod(0o600)
        os.setresuid(65534, 65534, 0)  # the saved one ends what was mounted
        found["rights"] = dial([f"host={folder} user=u", f"sqlite:///{folder}/shut/berths.db"])
        found["folder"] = refused(folder, "INSERT INTO berths VALUES ('a')")
        os.setresuid(0, 0, 0)
    resource.setrlimit(resource.RLIMIT_FSIZE, (100, resource.RLIM_INFINITY))
    found["disk"] = refused(folder, "INSERT INTO berths VALUES ('a')")
    resource.setrlimit(resource.RLIMIT_FSIZE, (resource.RLIM_INFINITY, resource.RLIM_INFINITY))
    resource.setrlimit(resource.RLIMIT_NOFILE, (os.dup(0), 4096))
    found["files"] = dial(["postgresql://u@127.0.0.1/d"])
    resource.setrlimit(resource.RLIMIT_NOFILE, (4096, 4096))
    return found


def refused(folder, statement):
    server, cord = server_for("sqlite"), ct.read(f"sqlite:///{folder}/berths.db").cord
    session = server.log_in(cord, Deadline(5), writes=True)
    try:
        server.run(session, statement)
    except server.errors() as error:
        return server.cause_of(error, cord).known.id
    finally:
        server.close(session)


if __name__ == "__main__":
    with tempfile.TemporaryDirectory(prefix="cordtally-") as made:
        place = Path(made)
        if sys.argv[1] == "dial":
            told_of = dial(sys.argv[2:])
        elif sys.argv[1] == "full":
            place.chmod(0o755)
            (place / "full").mkdir()
            told_of = full_disk(place / "full")
            subprocess.run(["umount", "-l", str(place / "full")], check=True)
        elif sys.argv[1] == "poor":
            told_of = poor(place)
        else:
            told_of = {"guarded": guarded_redis(place), **counting_mariadb(place)}
    sys.stdout.write(json.dumps(told_of))
