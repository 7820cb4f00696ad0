#!/usr/bin/env python3
"""One rewrite over the files of several machines, here several processes of a distributed engine, each with a journal of
its own; every byte is compared with what one machine makes.

    pip install distributed
    examples/many-machines/spread.py target/release/bquill [WORKERS] [FILES]

Each file is one task: it is planned where it lies, the plans are merged and decided about in one place, the plan is split,
and each part is applied under the journal of its worker. Then all of it is undone, in parallel again. A large text is also
filtered in ranges of bytes, which only a rewrite may that looks at single lines; a table is never cut.
"""
import filecmp
import json
import os
import pathlib
import random
import shutil
import subprocess
import sys
import tempfile
import time

from distributed import Client, LocalCluster, get_worker

REWRITE = "[[step]]\nmatch = 'berth (\\d+)'\nwith = 'B-$1'\n\n[[step]]\nmatch = '  +'\nwith = ' '\n"
RANGE = 1 << 20


def make_corpus(port, files, seed=7):
    """Notices, a table with line ends in its cells, and a large log: made up, always the same."""
    chance = random.Random(seed)
    words = ["tide", "pilot", "berth 4", "berth 12", "mooring", "quay", "  ", "fog", "Tessaly"]
    line = lambda: " ".join(chance.choice(words) for _ in range(9)) + "\n"
    (port / "notices").mkdir(parents=True)
    for number in range(files):
        text = "".join(line() for _ in range(chance.randrange(20, 2000)))
        (port / f"notices/{number:04}.md").write_text(text)
    rows = (f'{n},"berth {n % 40}\nsee  notice {n}"\n' for n in range(20000))
    (port / "moorings.csv").write_text("id,place\n" + "".join(rows))
    (port / "gauge.log").write_text("".join(line() for _ in range(200_000)))


def bquill(program, *words, folder, state, **more):
    """What the program prints; 1 is an answer: nothing matched."""
    done = subprocess.run(
        [program, *words],
        cwd=folder,
        env={"PATH": "/usr/bin:/bin", "XDG_STATE_HOME": state},
        capture_output=True,
        **more,
    )
    if done.returncode not in (0, 1):
        raise RuntimeError(f"{words}: {done.returncode}\n{done.stderr.decode()}")
    return done.stdout


def own_state(base):
    """The journal's place of the machine that a task runs on."""
    return str(base / get_worker().address.replace("/", "_"))


def plan(program, port, base, file):
    """The plan of one file; none where nothing changes."""
    out = base / "plans" / (file.replace("/", "_") + ".plan")
    words = ["preview", "--rewrite", "../berths.toml", "--save-plan", str(out), "--no-hints", "--show", "0", file]
    bquill(program, *words, folder=port, state=own_state(base))
    return str(out) if out.exists() else None


def apply(program, port, base, part):
    """Applies a part; gives where it can be undone."""
    state = own_state(base)
    done = bquill(program, "apply", "--plan", part, "--yes", "--json", folder=port, state=state)
    return state, json.loads(done)["run"]


def undo(program, port, state, run):
    bquill(program, "undo", str(run), "--yes", folder=port, state=state)


def ranges(path):
    """Byte ranges that begin and end at line ends."""
    size, cuts = path.stat().st_size, [0]
    with path.open("rb") as text:
        while cuts[-1] < size:
            text.seek(min(cuts[-1] + RANGE, size))
            text.readline()
            cuts.append(text.tell())
    return list(zip(cuts, cuts[1:]))


def filtered(program, port, base, file, span):
    """A range of a text as it becomes; refused if the rewrite must see more than single lines."""
    with (port / file).open("rb") as text:
        text.seek(span[0])
        part = text.read(span[1] - span[0])
    words = ["apply", "--rewrite", "../berths.toml", "--reach", "line", "--stdin-name", file]
    return bquill(program, *words, folder=port, state=own_state(base), input=part)


def same(one, other):
    found = filecmp.dircmp(one, other)
    files = [p for p in pathlib.Path(one).rglob("*") if p.is_file()]
    pairs = ((p, pathlib.Path(other) / p.relative_to(one)) for p in files)
    return not found.left_only and not found.right_only and all(filecmp.cmp(a, b, shallow=False) for a, b in pairs)


def main():
    program = os.path.abspath(sys.argv[1])
    workers, files = (int(word) for word in (sys.argv[2:] + ["2", "40"][len(sys.argv) - 2 :])[:2])
    with tempfile.TemporaryDirectory() as folder:
        base = pathlib.Path(folder)
        port, alone, first = base / "port", base / "alone", base / "first"
        make_corpus(port, files)
        (base / "plans").mkdir()
        (base / "berths.toml").write_text(REWRITE)
        shutil.copytree(port, alone)
        shutil.copytree(port, first)
        names = sorted(str(p.relative_to(port)) for p in port.rglob("*") if p.is_file())
        here = str(base / "here")
        bquill(program, "apply", "--rewrite", "../berths.toml", "--yes", ".", folder=alone, state=here)
        figures = {}

        def timed(name, work):
            began = time.monotonic()
            found = work()
            figures[name] = time.monotonic() - began
            return found

        began = time.monotonic()
        with LocalCluster(n_workers=workers, threads_per_worker=1, processes=True, dashboard_address=None) as cluster:
            with Client(cluster) as client:
                figures["start"] = time.monotonic() - began
                each = lambda work, *all: client.gather(client.map(work, *all, pure=False))
                timed("task", lambda: each(lambda _: None, range(200)))
                plans = timed("plan", lambda: each(lambda file: plan(program, port, base, file), names))
                plans = [p for p in plans if p]
                merged, parts = str(base / "all.plan"), base / "parts"
                merging = ["merge-plans", *plans, "--save-plan", merged]
                timed("merge", lambda: bquill(program, *merging, folder=port, state=here))
                bquill(program, "review", "--plan", merged, "--accept", "rest", folder=port, state=here)
                timed("split", lambda: bquill(program, "split-plan", merged, "--to", str(parts), folder=port, state=here))
                all_parts = sorted(map(str, parts.iterdir()))
                runs = timed("apply", lambda: each(lambda part: apply(program, port, base, part), all_parts))
                assert same(alone, port), "several machines made other bytes than one"
                each(lambda run: undo(program, port, *run), runs)
                assert same(first, port), "undo on each machine did not restore every byte"
                spans = ranges(port / "gauge.log")
                texts = each(lambda span: filtered(program, port, base, "gauge.log", span), spans)
                assert b"".join(texts) == (alone / "gauge.log").read_bytes(), "ranges made other bytes"
        took = time.monotonic() - began
        print(f"{len(names)} files, {workers} workers, {len(runs)} parts, {len(spans)} ranges: every byte as on one machine")
        print(f"with the engine's start and end: {took:.1f} s")
        # What `simulate.py` goes on from: seconds for one file, or task.
        of_file = {name: figures[name] * workers / len(names) for name in ("plan", "apply")}
        of_plan = {name: figures[name] / len(plans) for name in ("merge", "split")}
        print(json.dumps({"start": figures["start"], "task": figures["task"] / 200, **of_file, **of_plan}))


if __name__ == "__main__":
    main()
