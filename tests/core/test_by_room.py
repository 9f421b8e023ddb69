"""A question asked of many rooms in several processes is answered as in one."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time

import pytest

from vastwatch.answers import room_workers
from vastwatch.answers.room_workers import map_rooms

two = pytest.mark.skipif(len(os.sched_getaffinity(0)) < 2, reason="one processor")


def told(script: str, **how) -> subprocess.CompletedProcess[str]:
    """What a script says that runs by itself: here other threads may run."""
    given = (
        "import os, sys, time\nfrom vastwatch.answers.room_workers import map_rooms\nfrom vastwatch.memo import MEMO\n"
    )
    return subprocess.run([sys.executable, "-c", given + script], capture_output=True, text=True, timeout=60, **how)


@two
def test_answers_come_in_the_order_of_the_rooms_from_processes_that_know_what_this_one_knew():
    said = told(
        "MEMO.put(('f', 1), 'known'); here = os.getpid(); known = {'big': 1}\n"
        "def ask(room):\n"
        "    time.sleep(0.2 if room == 'a' else 0.0)\n"
        "    return room, os.getpid() != here, MEMO.get(('f', 1), lambda: 'new'), known['big'], MEMO.budget\n"
        "for row in map_rooms(['a', 'b', 'c'], ask): print(*row)\n"
        "print(MEMO.budget)"
    )
    *rows, budget = said.stdout.splitlines()
    assert [r.split()[:4] for r in rows] == [[room, "True", "known", "1"] for room in "abc"], said.stderr
    # Together they keep no more than this process may.
    assert all(2 * int(r.split()[4]) <= int(budget) for r in rows)


@two
def test_what_the_question_raises_is_raised_here():
    said = told(
        "def ask(room):\n"
        "    if room != 'a': raise ValueError(f'nothing in {room}')\n"
        "try: map_rooms(['a', 'b', 'c'], ask)\n"
        "except ValueError as e: print(e)"
    )
    assert said.stdout == "nothing in b\n" and said.stderr == ""


@two
@pytest.mark.parametrize("ended", ["b", "abcd"])
def test_where_a_process_is_ended_from_outside_this_one_answers(ended):
    said = told(
        "here = os.getpid()\n"
        "def ask(room):\n"
        f"    if os.getpid() != here and room in {ended!r}: os.kill(os.getpid(), 9)\n"
        "    time.sleep(0.1)\n"
        "    return room, os.getpid() == here\n"
        "for row in map_rooms(['a', 'b', 'c', 'd'], ask): print(*row)"
    )
    rows = [line.split() for line in said.stdout.splitlines()]
    assert [room for room, _ in rows] == list("abcd") and said.stderr == ""
    # The others go on; what nobody is left to be asked is asked here.
    assert [here for _, here in rows] == [str(room in ended) for room in "abcd"]


@two
def test_stopped_by_hand_all_of_it_stops_without_a_word():
    script = (
        # A suite that runs in the background of a shell ignores it, and so would all that it starts.
        "import signal, time\nsignal.signal(signal.SIGINT, signal.default_int_handler)\n"
        "from vastwatch import cli\nfrom vastwatch.answers import choices\n"
        "def slow(project, room): print('asked', flush=True); time.sleep(60)\n"
        "import vastwatch.advice.adviser.adviser as o; o.advise = slow\n"
        "import sys; sys.exit(cli.main(['advise', '--demo']))"
    )
    process = subprocess.Popen(
        [sys.executable, "-c", script], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        start_new_session=True,
    )  # fmt: skip
    # Two at once may speak within one line.
    assert process.stdout is not None and process.stdout.readline().startswith("asked")
    begin = time.monotonic()
    os.killpg(process.pid, signal.SIGINT)
    out, err = process.communicate(timeout=20)
    assert process.returncode == 130 and err == "" and not out.replace("asked", "").strip()
    assert time.monotonic() - begin < 10


def test_of_one_room_or_beside_other_threads_this_process_answers(monkeypatch):
    here = os.getpid()
    assert map_rooms(["a"], lambda room: (room, os.getpid())) == [("a", here)]
    monkeypatch.setattr(room_workers.threading, "active_count", lambda: 2)
    assert map_rooms(["a", "b"], lambda room: (room, os.getpid())) == [("a", here), ("b", here)]
    assert map_rooms([], lambda room: room) == []


@two
def test_where_the_command_itself_is_ended_from_outside_its_copies_end_too():
    script = (
        "import time\nfrom vastwatch.answers.room_workers import map_rooms\n"
        "def ask(room): print('asked', flush=True); time.sleep(0.3)\n"
        "map_rooms(list('abcdefghijklmnop'), ask)"
    )
    process = subprocess.Popen([sys.executable, "-c", script], stdout=subprocess.PIPE, start_new_session=True)
    assert process.stdout is not None and process.stdout.readline()
    process.kill()
    begin = time.monotonic()
    # Whatever any of them still had to say has been said when the last has gone.
    said, _ = process.communicate(timeout=10)
    assert time.monotonic() - begin < 5 and said.count(b"asked") <= 2


def test_linear_algebra_keeps_to_one_processor_unless_told_otherwise():
    """Its further threads spin while they wait, which takes from the other processes as much as they get."""
    script = (
        "import vastwatch, numpy as np, os, time\n"
        "a = np.ones((700, 700)); before = os.times(), time.perf_counter()\n"
        "for _ in range(12): a @ a\n"
        "spent = os.times(); print((spent.user - before[0].user) / (time.perf_counter() - before[1]))"
    )
    env = {k: v for k, v in os.environ.items() if k != "OPENBLAS_NUM_THREADS"}
    out = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True, env=env).stdout
    assert float(out) < 1.3
    kept = subprocess.run(
        [sys.executable, "-c", "import vastwatch, os; print(os.environ['OPENBLAS_NUM_THREADS'])"],
        capture_output=True, text=True, check=True, env={**env, "OPENBLAS_NUM_THREADS": "3"},
    ).stdout  # fmt: skip
    assert kept == "3\n"
