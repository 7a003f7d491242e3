"""What each command's help shows: lines that run on the sample data (``cordtally demo --keep FOLDER``)."""

from __future__ import annotations

EXAMPLES = {
    "read": (
        "read 'postgresql://keeper@gauge.greywick.example/tides'",
        "read --from-env TIDES_URL",
        "read 'Server=gauge;Database=tides;User Id=keeper' --from sqlclient",
    ),
    "compose": (
        "compose --engine postgresql --host gauge --database tides",
        "compose --engine mysql --host berths --tls require --to pymysql",
    ),
    "convert": (
        "convert --from-env TIDES_URL --to npgsql",
        "convert tides@production --to sqlalchemy+psycopg --quiet",
        "convert 'jdbc:mysql://berths/ledger' --to mysql2/arguments --pin",
    ),
    "compare": (
        "compare tides@staging tides@production",
        "compare 'postgresql://gauge/tides' 'Host=GAUGE;Database=tides'",
    ),
    "vet": (
        "vet --from-env TIDES_URL",
        "vet services/tide-gauge/settings.py --fail-on warning",
        "vet services --quiet",
        "vet services/berth-ledger --mend",
        "vet tides@production",
        "vet --explain not-encrypted",
    ),
    "show": (
        "show tides --environment production",
        "show services/customs-desk/appsettings.json",
        "show tides --to npgsql",
    ),
    "amend": (
        "amend services/buoy-sessions/settings.yaml --host sessions-2",
        "amend services/fog-signal/.env FOG_DSN --user keeper",
    ),
    "emit": (
        "emit tides --environment production --to django",
        "emit tides@production --to spring-boot",
    ),
    "grants": ("grants tides --read-only", "grants berths --read-write --user berth_clerk --from-host 10.0.0.%"),
    "dial": ("dial logbook", "dial --all", "dial --from-env TIDES_URL --wait 1s", "dial --explain nothing-listens"),
    "lift": ("lift services/survey", "lift services/survey/plot.R:4 --into env:SURVEY_DSN"),
    "sweep": ("sweep .", "sweep services pools --quiet --fail-on never"),
    "drivers": (
        "drivers --engine postgresql --language java",
        "drivers --search 'jdbc mysql'",
        "drivers npgsql",
        "drivers --option connect_timeout --engine mysql",
    ),
    "docs": ("docs", "docs tally"),
    "completion": ("completion bash",),
    "demo": ("demo", "demo --keep greywick"),
    "start": ("with tides@production -- psql", "with tides --as TIDES_URL=psycopg -- python serve.py"),
    "init": ("init services --into fresh --keep-in envfile:.env", "init --from-env TIDES_URL --into fresh"),
    "tally_add": (
        "tally add buoys redis://buoys.greywick.example:6380/2",
        "tally add gauge --from-env TIDES_URL --keep-in file:secrets",
    ),
    "tally_set": (
        "tally set tides host=127.0.0.1 options.connect_timeout=2s",
        "tally set tides tls=verify-chain -e staging --apply",
    ),
    "tally_rename": ("tally rename tides gauges",),
    "tally_drop": ("tally drop logbook", "tally drop tides -e staging --apply"),
    "secret_check": ("secret check", "secret check --fail-on risky"),
    "secret_get": ("secret get envfile:services/fog-signal/.env#FOG_DB_PASSWORD",),
    "secret_put": ("secret put file:secrets/berths --make", "secret put envfile:.env#FOG_PASSWORD --make"),
    "secret_copy": ("secret copy envfile:services/fog-signal/.env#FOG_DSN file:fog",),
    "secret_list": ("secret list file:secrets", "secret list envfile:services/fog-signal/.env"),
    "secret_drop": ("secret drop envfile:services/fog-signal/.env#FOG_DSN",),
    "chest_create": ("chest create", "chest create --key-file ~/keys/harbour.key"),
    "chest_verify": ("chest verify",),
    "chest_rekey": ("chest rekey --add-key-file ci.key", "chest rekey --keep key=ci.key"),
    "chest_export": ("chest export",),
    "secret_rotate": ("secret rotate berths", "secret rotate berths -e production --grace 1h"),
    "secret_vouch": ("secret vouch harbour-keys --yes", "secret vouch harbour-keys --withdraw"),
    "secret_make": ("secret make", "secret make --length 40"),
    "pool_size": (
        "pool size --arrivals 120/s --hold 35ms --wait-target 5ms@p99",
        "pool size --arrivals 120/s --hold 35ms --instances 4 --threads 8",
    ),
    "pool_fit": ("pool fit pools/gauge-trace.csv", "pool fit pools/gauge-throughput.csv"),
    "pool_replay": ("pool replay pools/storm.toml --what-if max_size=6,8",),
    "pool_budget": ("pool budget pools/gauge-server.toml", "pool budget pools/gauge-server.toml --allocate"),
    "pool_convert": (
        "pool convert --from hikaricp --to psycopg-pool maximumPoolSize=20",
        "pool convert --list",
    ),
    "pool_vet": (
        "pool vet --pool hikaricp maximumPoolSize=40 --server-limit 30",
        "pool vet --pool sqlalchemy pool_size=5 pool_recycle=7200",
    ),
    "pool_measure": ("pool measure logbook --step-time 200ms --most-connections 4 --yes",),
    "pool_watch": ("pool watch tides@production --every 5s",),
}
"""By the module of the command."""


def with_examples(module: str, epilog: str | None) -> str | None:
    """Give what stands below a command's options: its examples, and what it says there itself."""
    lines = [f"  cordtally {line}" for line in EXAMPLES.get(module, ())]
    block = "\n".join(["\b", "Examples:", *lines]) if lines else ""
    return "\n\n".join(part for part in (block, epilog or "") if part) or None
