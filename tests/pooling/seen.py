"""What installed pools do, beside what the catalog says of them: they are opened, filled, kept waiting and left alone.

``scripts/pools-seen`` prints the table, ``test_pool_facts.py`` holds it against the catalog.
"""

import asyncio
import json
import os
import queue
import sqlite3
import subprocess
import threading
import time
from contextlib import suppress
from pathlib import Path
from typing import NamedTuple

from cordtally.catalog.pool_libraries import load_pool
from cordtally.pooling.settings import convert_pool, read_settings
from cordtally.pooling.settings.vet import acting_idle_timeout

from ..servers import ADMIN_PASSWORD

SHORT, LONG = 1.0, 6.0  # s: an acquire timeout, and how long one is waited for that does not come
JUDGES = Path(__file__).resolve().parent.parent / "drivers" / "judges"
LOGIN = {"host": "127.0.0.1", "user": "harbour_master", "password": ADMIN_PASSWORD}


class Seen(NamedTuple):
    pool: str
    question: str
    catalog: str
    seen: str


class Pool:
    """A pool in the hands of one thread; asyncio's have a loop of their own. ``take`` and ``give`` are its own calls."""

    def __init__(self, opened, take, give, close, loop=None):
        self.loop = loop
        self.opened = self.run(opened)
        self.take = lambda: self.run(take(self.opened))
        self.give = lambda connection: self.run(give(self.opened, connection))
        self._close = close

    def close(self):
        """Close it, and its loop."""
        self.run(self._close(self.opened))
        if self.loop is not None:
            self.loop.close()

    def rest(self, seconds):
        """Let time go by, with the pool at work."""
        if self.loop is None:
            time.sleep(seconds)
        else:
            self.loop.run_until_complete(asyncio.sleep(seconds))

    def run(self, made):
        """Wait for what has to be waited for."""
        if self.loop is None or not hasattr(made, "__await__"):
            return made

        async def waited():
            return await asyncio.wait_for(made, LONG)

        return self.loop.run_until_complete(waited())


def _psycopg(settings, port):
    from psycopg_pool import ConnectionPool

    pool = ConnectionPool(f"host=127.0.0.1 port={port} user=harbour_master password={ADMIN_PASSWORD} dbname=postgres", open=True, **settings)
    return Pool(pool, lambda p: p.getconn(), lambda p, c: p.putconn(c), lambda p: p.close())


def _psycopg_async(settings, port):
    from psycopg_pool import AsyncConnectionPool

    loop = asyncio.new_event_loop()

    async def opened():
        pool = AsyncConnectionPool(f"host=127.0.0.1 port={port} user=harbour_master password={ADMIN_PASSWORD} dbname=postgres", open=False, **settings)
        await pool.open()
        return pool

    return Pool(opened(), lambda p: p.getconn(), lambda p, c: p.putconn(c), lambda p: p.close(), loop)


def _sqlalchemy(settings, _):
    from sqlalchemy import create_engine

    engine = create_engine("sqlite://", creator=lambda: sqlite3.connect(":memory:", check_same_thread=False), poolclass=_queue_pool(), **settings)
    return Pool(engine, lambda e: e.raw_connection(), lambda e, c: c.close(), lambda e: e.dispose())


def _queue_pool():
    from sqlalchemy.pool import QueuePool

    return QueuePool


def _sqlalchemy_async(settings, port):
    from sqlalchemy.engine import URL
    from sqlalchemy.ext.asyncio import create_async_engine

    url = URL.create("postgresql+asyncpg", LOGIN["user"], LOGIN["password"], LOGIN["host"], port, "postgres")
    engine = create_async_engine(url, **settings)
    return Pool(engine, lambda e: e.raw_connection(), lambda e, c: _closed(c), lambda e: e.dispose(), asyncio.new_event_loop())


async def _closed(connection):
    from sqlalchemy.util import greenlet_spawn

    await greenlet_spawn(connection.close)


def _asyncpg(settings, port):
    import asyncpg

    loop = asyncio.new_event_loop()

    async def opened():
        return await asyncpg.create_pool(port=port, database="postgres", **LOGIN, **settings)

    return Pool(opened(), lambda p: p.acquire(), lambda p, c: p.release(c), lambda p: p.close(), loop)


def _aiomysql(settings, port):
    import aiomysql

    loop = asyncio.new_event_loop()

    async def opened():
        return await aiomysql.create_pool(port=port, **LOGIN, **settings)

    async def closed(pool):
        pool.terminate()
        await pool.wait_closed()

    return Pool(opened(), lambda p: p.acquire(), lambda p, c: p.release(c), closed, loop)


def _mysql_connector(settings, port):
    from mysql.connector.pooling import MySQLConnectionPool

    pool = MySQLConnectionPool(port=port, **LOGIN, **settings)
    return Pool(pool, lambda p: p.get_connection(), lambda p, c: c.close(), lambda p: None)


def _redis(kind):
    def opened(settings, port):
        import redis

        pool = getattr(redis, kind)(host="127.0.0.1", port=port, password=ADMIN_PASSWORD, **settings)
        return Pool(pool, lambda p: p.get_connection(), lambda p, c: p.release(c), lambda p: p.disconnect())

    return opened


class Remote:
    """A pool of another language, in a process of its own (``drivers/judges``): one line asks, one answers, in its own time."""

    loop = None

    def __init__(self, command, line, settings, env=None):
        self.line, self.number, self.answers = line, 0, queue.Queue()
        self.process = subprocess.Popen(command, env=env, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
        self.reader = threading.Thread(target=lambda: [self.answers.put(json.loads(answer)) for answer in self.process.stdout], daemon=True)
        self.reader.start()
        self.ask("open", settings=settings, limit=30)

    def ask(self, what, limit=LONG, **more):
        """Ask, and wait for the answer; None where there is none in time."""
        self.number += 1
        self.process.stdin.write(self.line(self.number, what, **more) + "\n")
        self.process.stdin.flush()
        end = time.monotonic() + limit
        while (left := end - time.monotonic()) > 0:
            try:
                answer = self.answers.get(timeout=left)
            except queue.Empty:
                return None
            if answer["number"] == self.number:
                return answer
        return None

    def take(self):
        """Take one, known by its number."""
        answer = self.ask("take", limit=30)
        if answer is None:
            raise TimeoutError
        if "failed" in answer:
            raise ConnectionError
        return answer["who"]

    def give(self, one):
        """Give one back."""
        self.ask("give", one=one)

    rest = staticmethod(time.sleep)

    def close(self):
        """End the process."""
        self.process.kill()
        self.process.wait(10)
        self.reader.join(10)
        self.process.stdin.close()
        self.process.stdout.close()


def _node(name):
    def opened(settings, port):
        command = ["node", "--no-warnings", JUDGES / "nodepools.js", name, str(port), LOGIN["user"], LOGIN["password"]]
        env = {**os.environ, "NODE_PATH": f"{os.environ.get('CORDTALLY_NODE', '')}/node_modules"}
        return Remote(command, lambda number, what, **more: json.dumps({"number": number, "what": what, **more}), settings, env)

    return opened


def _java(name):
    def line(number, what, settings=None, one=None):
        words = [f"{key}={value}" for key, value in (settings or {}).items()]
        return " ".join([str(number), what, *words, *([str(one)] if one is not None else [])])

    def opened(settings, port):
        path = ":".join(f"/usr/share/java/{jar}.jar" for jar in ("HikariCP", "commons-dbcp2", "commons-pool2", "commons-logging", "c3p0", "slf4j-api", "slf4j-nop", "postgresql"))
        url = f"jdbc:postgresql://127.0.0.1:{port}/postgres?user={LOGIN['user']}&password={LOGIN['password']}"
        return Remote(["java", "-cp", path, JUDGES / "PoolsJudge.java", name, url], line, settings)

    return opened


POOLS = {
    "psycopg-pool": ("postgresql", [_psycopg, _psycopg_async]),
    "sqlalchemy": (None, [_sqlalchemy]),
    "sqlalchemy (async)": ("postgresql", [_sqlalchemy_async]),
    "asyncpg": ("postgresql", [_asyncpg]),
    "aiomysql": ("mariadb", [_aiomysql]),
    "mysql-connector-pool": ("mariadb", [_mysql_connector]),
    "redis-py-pool": ("redis_server", [_redis("BlockingConnectionPool")]),
    "redis-py-plain-pool": ("redis_server", [_redis("ConnectionPool")]),
}


OTHERS = {
    "pg-pool": ("postgresql", [_node("pg-pool")]),
    "mysql2-pool": ("mariadb", [_node("mysql2-pool")]),
    "mariadb-node-pool": ("mariadb", [_node("mariadb-node-pool")]),
    "tarn": (None, [_node("tarn")]),
    "generic-pool": (None, [_node("generic-pool")]),
    "hikaricp": ("postgresql", [_java("hikaricp")]),
    "dbcp2": ("postgresql", [_java("dbcp2")]),
    "c3p0": ("postgresql", [_java("c3p0")]),
}
"""Those of other languages, which ``scripts/test-drivers`` installs."""


def who(connection):
    """Which connection it is behind what the pool wraps around it."""
    for name in ("driver_connection", "_con", "_cnx"):
        inner = getattr(connection, name, None)
        if inner is not None:
            return inner
    return connection


def written(name, **wanted):
    """Settings by their meaning, as this library takes them; what it has no word for is left out."""
    from cordtally.model import Duration

    library = load_pool(name)
    converted = {}
    for means, value in wanted.items():
        source = read_settings("hikaricp", {})
        given = {means: Duration.of(value) if isinstance(value, float) else value}
        found = convert_pool(type(source)(source.library, {}, given, given), library)
        lost = any(line.outcome.value in {"dropped", "approximated"} for line in found.ledger if line.part == means)
        converted |= {} if lost else found.settings
    return {key: float(text) if "." in text else int(text) if text.lstrip("-").isdigit() else text == "true" for key, text in converted.items()}


def obtain(pool):
    """Take one that is there to be taken; a cold start may last longer than the short timeout that is set."""
    for _ in range(20):
        with suppress(ConnectionError, TimeoutError):
            return pool.take()
    raise ConnectionError("none comes at all")


def look(name, opened, port):
    """Ask one pool everything that it has a setting for."""
    catalog = name.partition(" ")[0]
    library = load_pool(catalog)
    rows = []

    def tell(question, says, saw):
        rows.append(Seen(name, question, says, saw))

    settings = written(catalog, max_size=2, min_size=1, initial_size=1, acquire_timeout=SHORT)
    pool = opened(settings, port)
    taken = [obtain(pool), obtain(pool)]
    before = time.monotonic()
    saw = _full(pool)
    waited = time.monotonic() - before
    limit = library.setting("acquire_timeout")
    says = "fails at once" if library.behaviour.when_full == "fails" else "waits without end" if limit is None else f"waits for {limit.name}"
    if saw == "gives up":
        # a machine that stands still makes a wait longer, and never shorter
        saw = "fails at once" if limit is None or waited < SHORT / 2 else f"waits for {limit.name}"
    tell("a third of two", says, saw)
    if saw == "waits without end" and pool.loop is None:  # who waits would get the next one
        pool.close()
        pool = opened(settings, port)
        taken = [obtain(pool), obtain(pool)]
    first, second = (who(connection) for connection in taken)
    for connection in taken:
        pool.give(connection)
        time.sleep(0.5)  # some pools take it back in a thread of their own
    again = pool.take()
    tell("which idle one is taken", library.behaviour.reuse, "oldest" if who(again) == first else "newest" if who(again) == second else "a new one")
    pool.give(again)
    pool.close()
    for means, question in (("lifetime", "after its lifetime"), ("idle_timeout", "after its idle timeout")):
        setting = library.setting(means)
        if setting is None:
            continue
        wanted = {"max_size": 2, "min_size": 0, "min_idle": 0, means: 1.0}
        if setting.needs is not None:
            wanted[library.settings[setting.needs].means] = 1.0
        settings = written(catalog, **wanted)
        if setting.name not in settings:  # it takes no time that is short enough to wait for
            continue
        pool = opened(settings, port)
        mine = pool.take()
        old = who(mine)
        pool.give(mine)
        pool.rest(3.6)  # psycopg_pool looks once in so long, and closes what lay idle all the while
        mine = pool.take()
        acts = means == "lifetime" or acting_idle_timeout(read_settings(catalog, {key: str(value) for key, value in settings.items()})) is not None
        says = "another one" if acts and setting.looked_at != "given-back" else "the same one"
        tell(question, says, "the same one" if who(mine) == old else "another one")
        pool.give(mine)
        pool.close()
    return rows


def _full(pool):
    """What happens to one who asks a pool that is full; a thread that waits without end is left behind."""
    if pool.loop is not None:
        try:
            pool.take()
        except TimeoutError as problem:
            return "gives up" if type(problem) is not TimeoutError else "waits without end"
        except Exception:  # each pool has an error of its own
            return "gives up"
        return "gets one more"
    ended = []

    def ask():
        try:
            pool.take()
            ended.append("gets one more")
        except Exception:  # each pool has an error of its own
            ended.append("gives up")

    thread = threading.Thread(target=ask, daemon=True)
    thread.start()
    thread.join(LONG)
    return ended[0] if ended else "waits without end"
