"""Sizing a pool from a script: how the answer moves as the load grows, and when the server's limit stops it."""

import cordtally as ct


def main() -> None:
    for arrivals in (120, 480, 1920, 7680):
        load = ct.PoolLoad(arrivals=arrivals, hold=0.035, instances=4)
        sizing = ct.size_pool(load, "5ms@p99", server_limit=200, reserve=10)
        size = sizing.recommended
        answer = "no size fits" if size is None else f"{size:>3} per instance, {4 * size:>3} in all"
        print(f"{arrivals:>5}/s, {load.erlangs:5.1f} in use: {answer}")
        if size is None:
            print("      " + sizing.reasons[-2])


if __name__ == "__main__":
    main()
