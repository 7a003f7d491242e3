"""Texts that people might write, tame and odd, made from the catalog's own facts.

A text is drawn from the grammar of its notation: schemes, user info, hosts, path, pairs. Two parts of three are tame, so
that a text has one oddity or two, and not only oddities. The options are those of the driver, of another driver of the
engine, and of none, with words that they take and words that they do not.
"""

import json
import random

from cordtally.catalog import driver_ids, load_driver

TAME_WORDS = ["keeper", "tides", "fog-horn", "x9"]
ODD_WORDS = ["a%40b", "a+b", "", "p:w", "é", "%C3%A9", "a b", "%zz", "x%2Fy", "x/y", "x?y", "x#y", "a@b", "'", "u%", "$", "a&b", "a;b", "%25", "(a)", '"']
TAME_HOSTS = ["h", "gauge.example", "127.0.0.1"]
ODD_HOSTS = ["[::1]", "[2001:db8::1]", "[::1%25eth0]", "::1", "", "h-1", "H", "[::1", "h%41", "%2Frun%2Fs", "a_b", "h."]
ODD_PORTS = ["", ":", ":0", ":70000", ":abc", ":05432", ":1:2"]


class Texts:
    """Draws texts for one notation of a driver."""

    def __init__(self, target, seed, engine=None, takes=lambda option: True):
        self.random = random.Random(f"{target} {seed}")
        name, _, notation = target.partition("/")
        self.driver = load_driver(name)
        self.facts = self.driver.notation(notation or None)
        self.engine = engine or self.driver.engines[0]
        self.several = self.facts.hosts in {"inline", "paired"} or self.facts.host_options == "paired"
        self.options = [o for o in self.driver.options.values() if o.is_in(self.facts.id) and o.name[0] != "(" and takes(o)]
        others = [load_driver(d) for d in driver_ids() if d != name]
        self.foreign = [o.name for d in others if self.engine in d.engines for o in d.options.values() if o.name[0] != "("]
        self.prefixes = list(self.facts.schemes.get(self.engine, ())) or [""]

    def pick(self, tame, odd, share=0.75):
        return self.random.choice(tame if self.random.random() < share else odd)

    def one(self):
        if self.engine == "sqlite":
            return self.file()
        maker = {"keyword": self.keyword, "semicolon": self.semicolon, "dsn": self.go_dsn, "arguments": self.arguments}.get(self.facts.grammar, self.url)
        return maker()

    def url(self):
        chance = self.random.random
        text = self.random.choice(self.prefixes)
        if chance() < (0.6 if "user" in self.facts.flags.get("positions", ["user"]) else 0.03):
            text += self.pick(TAME_WORDS, ODD_WORDS)
            text += ":" + self.pick(TAME_WORDS, ODD_WORDS) if chance() < 0.8 else ""
            text += "@"
        count = self.random.choice([1, 1, 1, 2, 3]) if self.several else 1
        hosts = dict.fromkeys(self.pick(TAME_HOSTS, ODD_HOSTS) for _ in range(count))
        text += ",".join(host + self.pick(["", ":5432", ":6000"], ODD_PORTS, 0.9) for host in hosts)
        if chance() < 0.85:
            text += "/" + self.pick([*TAME_WORDS, "3"], ODD_WORDS, 0.8)
        if chance() < 0.7:
            text += "?" + "&".join("=".join(self.pair()) for _ in range(self.random.choice([1, 1, 2, 3])))
        if chance() < 0.03:
            text += self.random.choice(["&", "?", "#x", "&a", "&=", " ", "&a=b=c"])
        return text

    def file(self):
        name = self.pick(["tides.db", "/run/tides.db", "a/b.db"], [":memory:", "a%20b", "a b", "x?y", "é.db", "", "//x.db"])
        pairs = [self.pair() for _ in range(self.random.choice([0, 0, 1, 2]))]
        return self.random.choice(self.prefixes) + "/" + name + ("?" + "&".join("=".join(p) for p in pairs) if pairs else "")

    def keyword(self):
        parted = [";", ";", "; ", " "] if self.facts.flags.get("semicolons") else [" ", " ", "  ", "\t"]
        prefix, join, equals = self.random.choice(self.prefixes), self.random.choice(parted), self.random.choice(["=", "=", "=", " = "])
        values = ["'a b'", "'it\\'s'", "''", "a\\ b", "'x", "\\\\", "", "é", "'a\\\\'", "a=b", "a;b"]
        pairs = [self.pair() for _ in range(self.random.choice([1, 2, 3, 4]))]
        return prefix + join.join(f"{name}{equals}{self.pick([value or 'x'], values, 0.85)}" for name, value in pairs)

    def semicolon(self):
        prefix, join = self.random.choice(self.prefixes), self.random.choice([";", ";", "; ", ";;"])
        values = ["'a b'", '"a;b"', "'it''s'", "", " x ", "a=b", "{a}", "é", "'x", '"a""b"', "a'b"]
        if self.facts.flags.get("quoting") == "doubled":  # PDO takes b"; for the beginning of the next key, which we refuse
            values[1] = "a;;b"
        pairs = [self.pair() for _ in range(self.random.choice([1, 2, 3, 4]))]
        equals = self.random.choice(["=", "=", "=", " = "])
        return prefix + join.join(f"{name}{equals}{self.pick([value], values, 0.85)}" for name, value in pairs) + self.random.choice(["", "", ";"])

    def go_dsn(self):
        chance, text = self.random.random, ""
        if chance() < 0.7:
            text += self.pick(TAME_WORDS, ODD_WORDS) + (":" + self.pick(TAME_WORDS, ODD_WORDS) if chance() < 0.8 else "") + "@"
        address = self.pick([h + p for h in TAME_HOSTS for p in ("", ":3306")], ["[::1]:3306", "::1", "", "/run/s", "h:x", ":3306", "[::1]"])
        text += self.pick([f"tcp({address})"], [f"tcp({address}", f"unix({address})", f"({address})", "tcp", f"tcp6({address})", f"zork({address})", ""], 0.8)
        if chance() < 0.95:
            text += "/" + self.pick(TAME_WORDS, ODD_WORDS)
        if chance() < 0.7:
            text += "?" + "&".join("=".join(self.pair()) for _ in range(self.random.choice([1, 1, 2, 3])))
        return text

    def arguments(self):
        count = self.random.choice([1, 2, 3, 4])
        options = self.random.sample([o for o in self.options if o.canonical in {"host", "port", "user", "password", "database", "socket"}], count)
        given = {option.name: self.value(option) for option in options}
        return json.dumps({name: int(value) if value.isdigit() else value for name, value in given.items()}, ensure_ascii=False)

    def pair(self):
        """A name and a value: known options mostly, in another case, from another driver, or from nowhere."""
        kind = self.random.random()
        if kind < 0.04 or not self.options:
            return "zork", "1"
        if kind < 0.08:
            return self.random.choice(self.foreign), "1"
        option = self.random.choice(self.options)
        if kind < 0.5:  # the common ones come more often
            option = self.random.choice([o for o in self.options if o.canonical] or self.options)
        name = self.random.choice([option.name, option.name, option.name, *option.aliases])
        if self.random.random() < 0.03:
            name = name.upper()
        return name, self.value(option)

    def value(self, option):
        words = option.values or {}
        odd = ["", "zork", "-1", "0", "1.5", "a%20b", "true", "TRUE", "5s"]
        match option.type:
            case "bool" if not words:
                return self.pick([*self.driver.true_words, *self.driver.false_words], ["yes", "on", "TRUE", "2", "", "maybe"], 0.85)
            case "bool" | "word":
                return self.pick(list(words) or TAME_WORDS, [w.upper() for w in words] + odd, 0.85)
            case "int" | "bytes":
                return self.pick(["5", "10"], odd, 0.85)
            case "duration":
                usual = {"go": ["5s", "1m30s", "500ms"], "iso": ["PT5S"]}.get(option.unit, ["5", "30"])
                return self.pick(usual, odd, 0.85)
        match option.canonical:
            case "host" | "further_host":
                return self.pick(TAME_HOSTS, ["/run/s", "g,h", "h:1", "[::1]", ""], 0.9)
            case "socket":
                return "/run/s"
            case "port":
                return self.pick(["5432", "6000"], ["0", "x", "70000", "", "1,2"], 0.9)
            case "charset" | "collation" | "isolation":
                return {"charset": "utf8mb4", "collation": "utf8mb4_bin", "isolation": "IMMEDIATE"}[option.canonical]
            case "tls.level":
                return self.pick(list(words) or ["true"], odd)
        if words:
            return self.pick(list(words), odd)
        return self.pick(["x", "a%20b", "/ca.pem"], [*odd, "a+b", "é"], 0.85)
