"""Coverage-guided fuzzing of the readers with Atheris: any error but the library's own, or a text that does not render back, is a find.

    pip install atheris && python tests/fuzz/fuzz_read.py -max_total_time=60
"""

import sys

import atheris

with atheris.instrument_imports(include=["cordtally"]):
    import cordtally as ct
    from cordtally.catalog import driver_ids, load_driver
    from cordtally.exchange import load_target

TARGETS = sorted(f"{d}/{n.id}" for d in driver_ids() for n in load_driver(d).notations)


def read_one(data):
    provider = atheris.FuzzedDataProvider(data)
    target = TARGETS[provider.ConsumeIntInRange(0, len(TARGETS) - 1)]
    facts = load_target(target).facts
    prefixes = [p for listed in facts.schemes.values() for p in listed] or [""]
    text = prefixes[provider.ConsumeIntInRange(0, len(prefixes) - 1)] + provider.ConsumeUnicode(512)
    try:
        reading = ct.read(text, driver=target)
        ct.write(reading.cord, target)
    except ct.CordTallyError:
        return
    for part in reading.parts:
        if not 0 <= part.start <= part.end <= len(text):
            raise AssertionError(f"{target}: a part outside its text")


if __name__ == "__main__":
    atheris.Setup(sys.argv, read_one)
    atheris.Fuzz()
