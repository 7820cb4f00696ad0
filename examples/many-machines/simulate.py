#!/usr/bin/env python3
"""Growth of the cost with the number of machines, from figures that were measured.

    examples/many-machines/spread.py target/release/bquill | tail -1 | examples/many-machines/simulate.py [FILES]

FILES are the files of each machine, 1,000 unless given. Tasks begin as the engine hands them out, one after another, each on
the first machine that is free; files differ in size as 1 to 8, from a seed. Plans are merged and split in one place.
"""
import heapq
import json
import random
import sys


def phase(machines, files, of_file, of_task, chance):
    """Seconds until the last task is done."""
    free = [0.0] * machines
    handed, last = 0.0, 0.0
    for _ in range(machines * files):
        handed += of_task
        size = 2 ** chance.uniform(0, 3) / 3.37
        end = max(heapq.heappop(free), handed) + of_file * size
        heapq.heappush(free, end)
        last = max(last, end)
    return last


def main():
    files = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    of = json.loads(sys.stdin.readlines()[-1])
    print("| machines | files | plan | merge and split | apply | in all | times one machine's |")
    print("|---:|---:|---:|---:|---:|---:|---:|")
    first = None
    for machines in (1, 10, 100, 1000):
        chance = random.Random(11)
        plan, apply = (phase(machines, files, of[name], of["task"], chance) for name in ("plan", "apply"))
        middle = (of["merge"] + of["split"]) * machines * files
        total = of["start"] + plan + middle + apply
        first = first or total
        cells = [f"{machines:,}", f"{machines * files:,}", *(f"{s:.0f} s" for s in (plan, middle, apply, total))]
        print(f"| {' | '.join(cells)} | {total / first:.1f} |")


main()
