"""Work in the background stands aside while a frame is made, and never for ever."""

from __future__ import annotations

import threading
import time

from vastwatch import yielding
from vastwatch.yielding import AFTER_S, AT_MOST_S, frame, yield_to_interface


def counting(stop: threading.Event, counts: list[float]) -> threading.Thread:
    def work() -> None:
        while not stop.is_set():
            yield_to_interface()
            counts.append(time.monotonic())

    thread = threading.Thread(target=work)
    thread.start()
    return thread


def test_a_thread_sleeps_through_a_frame_and_goes_on_after_it():
    stop, counts = threading.Event(), []
    thread = counting(stop, counts)
    while not counts:
        time.sleep(0.001)
    with frame():
        with frame():
            # One step may be under way already.
            time.sleep(0.03)
        before = len(counts)
        time.sleep(0.08)
        assert len(counts) == before
    ended = time.monotonic()
    while len(counts) == before:
        time.sleep(0.001)
    stop.set()
    thread.join()
    assert counts[before] >= ended + AFTER_S - 0.01


def test_whoever_waits_for_long_goes_on_and_does_not_wait_again_for_the_same_frame():
    waited = []

    def work() -> None:
        for _ in range(3):
            begun = time.monotonic()
            yield_to_interface()
            waited.append(time.monotonic() - begun)

    thread = threading.Thread(target=work)
    with frame():
        thread.start()
        # As a frame does that waits for what the thread holds.
        thread.join(5.0)
        assert not thread.is_alive()
    assert waited[0] >= AT_MOST_S and max(waited[1:]) < AT_MOST_S / 2


def test_the_windows_own_thread_never_waits():
    with frame():
        begun = time.monotonic()
        yield_to_interface()
        assert time.monotonic() - begun < 0.05
    assert yielding._FRAMES.depth == 0
