"""What is done in a network of one's own: ``python -m tests.dialing.from_outside dial TEXT…`` or ``outside`` or ``full``; prints JSON."""

import json
import socket
import subprocess
import sys
import tempfile
from contextlib import suppress
from pathlib import Path

import pymysql
import redis

import cordtally as ct
from cordtally.granting import create_database
from cordtally.model import Host, Secret, Tls, TlsLevel

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
        else:
            told_of = {"guarded": guarded_redis(place), **counting_mariadb(place)}
    sys.stdout.write(json.dumps(told_of))
