"""The family of projects: what is found between files, and in the tally. ``auditing`` does the checking."""

from __future__ import annotations

from .ids import RuleId
from .rules import Rule, Severity, Sight, rule


def _rule(
    rule_id: RuleId, severity: Severity, sees: Sight, title: str, why: str, *, about: str, bad: str, good: str
) -> Rule:
    return rule(rule_id, severity, sees, title=title, why=why, about=about, bad=bad, good=good)(None)


_TALLY = """tally.toml
tally = 1
[cords.tides]
engine = "postgresql"
host = "gauge.greywick.example"
database = "tides"
user = "tide_gauge"
password = "env:{one}"
[environments.staging.tides]
host = "{staging}"
password = "env:{two}"
[environments.production.tides]
host = "gauge.greywick.example"
password = "env:{three}"
"""


def _tally(staging: str, two: str, three: str) -> str:
    filled = {"one": "TIDES_PASSWORD", "staging": staging, "two": two, "three": three}
    return _TALLY.format(**filled)


RULES = (
    _rule(
        RuleId.SHARED_SECRET,
        Severity.WARNING,
        Sight.FILE,
        "one secret for staging and production",
        "Whoever may see the one can log in to the other, and a rotation breaks both.",
        about="Two environments of a tally whose cords name one place for their password.",
        bad=_tally("gauge-staging.greywick.example", "TIDES_PASSWORD", "TIDES_PASSWORD"),
        good=_tally("gauge-staging.greywick.example", "TIDES_STAGING_PASSWORD", "TIDES_PASSWORD"),
    ),
    _rule(
        RuleId.SHARED_HOST,
        Severity.WARNING,
        Sight.FILE,
        "one server and database for staging and production",
        "A test then changes what customers see.",
        about="Two environments of a tally whose cords lead to one host, port and database.",
        bad=_tally("gauge.greywick.example", "TIDES_STAGING_PASSWORD", "TIDES_PASSWORD"),
        good=_tally("gauge-staging.greywick.example", "TIDES_STAGING_PASSWORD", "TIDES_PASSWORD"),
    ),
    _rule(
        RuleId.OTHER_DATABASE,
        Severity.WARNING,
        Sight.PROJECT,
        "one name, and different databases in two files",
        "Which one a program gets depends on the file that is read, and nobody notices the other one.",
        about="A variable or a setting of the same name and environment, in two files of one folder's tree, whose "
        "texts "
        "lead to different hosts or databases. Samples, tests and documents do not count.",
        bad=".env\nTIDES_URL=postgresql://gauge.greywick.example/tides\n---\ncompose.env\n"
        "TIDES_URL=postgresql://survey.greywick.example/soundings\n",
        good=".env\nTIDES_URL=postgresql://gauge.greywick.example/tides\n---\ncompose.env\n"
        "TIDES_URL=postgresql://gauge.greywick.example/tides\n",
    ),
    _rule(
        RuleId.NAMES_DO_NOT_MEET,
        Severity.WARNING,
        Sight.PROJECT,
        "a name that is declared and one that is read, a letter apart",
        "The program reads a variable that nobody sets.",
        about="Compared are the names of variables that files set and that programs look up: those that differ by "
        "case, "
        "by an underscore or by a letter.",
        bad=".env\nTIDES_PASSWORD=not-a-real-pw\n---\napp.py\nimport "
        "os\npsycopg.connect(password=os.environ['TIDE_PASSWORD'])\n",
        good=".env\nTIDES_PASSWORD=not-a-real-pw\n---\napp.py\nimport "
        "os\npsycopg.connect(password=os.environ['TIDES_PASSWORD'])\n",
    ),
    _rule(
        RuleId.VARIABLE_WINS,
        Severity.NOTE,
        Sight.FILE,
        "a variable of the environment that wins unseen",
        "What stands in the file is not what the program gets.",
        about="A variable like CORD_TIDES_HOST, set where vetting runs, over what the tally says. cordtally show names "
        "the winners and the losers.",
        bad="CORD_TIDES_HOST=survey.greywick.example\n" + _tally("gauge-staging.greywick.example", "A", "B"),
        good=_tally("gauge-staging.greywick.example", "A", "B"),
    ),
    _rule(
        RuleId.VARIABLES_FILE_TRACKED,
        Severity.ERROR,
        Sight.PROJECT,
        "a file of variables that version control keeps",
        "Its secrets are in every clone, and stay in the history when the file is gone.",
        about="A file named .env or the like with a secret in it, that git keeps. cordtally sweep --history finds what "
        "else ever stood there.",
        bad="+ .env\nTIDES_PASSWORD=not-a-real-pw\n",
        good=".env\nTIDES_PASSWORD=not-a-real-pw\n",
    ),
    _rule(
        RuleId.VARIABLES_FILE_SHOWN,
        Severity.ERROR,
        Sight.PROJECT,
        "a file of variables in a folder that a web server shows",
        "Anybody may ask for it by its name.",
        about="By the root or DocumentRoot of a server's configuration in the tree, or by the folder's name: public, "
        "htdocs, wwwroot.",
        bad="public/.env\nTIDES_PASSWORD=not-a-real-pw\n",
        good=".env\nTIDES_PASSWORD=not-a-real-pw\n",
    ),
    _rule(
        RuleId.SAMPLE_LACKS_NAME,
        Severity.NOTE,
        Sight.PROJECT,
        "a sample of variables that lacks one which the code reads",
        "Whoever copies it to begin with finds out when the program stops.",
        about="A file named .env.example or the like, and look-ups without a default in the programs of its folder's "
        "tree.",
        bad=".env.example\nTIDES_HOST=\n---\napp.py\nimport "
        "os\npsycopg.connect(password=os.environ['TIDES_PASSWORD'])\n",
        good=".env.example\nTIDES_PASSWORD=\n---\napp.py\nimport "
        "os\npsycopg.connect(password=os.environ['TIDES_PASSWORD'])\n",
    ),
)
