"""Widgets that wait to be collected are deleted on the window's thread, whatever the threads of the background make."""

from __future__ import annotations

import gc
import threading

import pytest
from PyQt6.QtCore import QObject

from brisk_atlas.core.cache.budget import give_back
from brisk_atlas.desktop.collector import YOUNG, Collector


class Waiting(QObject):
    """Notes on which thread it goes; it holds itself, so that only a collection ends it."""

    ended = []

    def __init__(self):
        super().__init__()
        self.itself = self

    def __del__(self):
        self.ended.append(threading.current_thread() is threading.main_thread())


@pytest.fixture
def collector(qapp):
    gc.collect()
    Waiting.ended.clear()
    made = Collector()
    made.start()
    yield made
    made._timer.stop()


def in_background(work):
    thread = threading.Thread(target=work)
    thread.start()
    thread.join()


def test_what_the_background_makes_collects_nothing(collector):
    Waiting()
    kept = []
    in_background(lambda: kept.extend([] for _ in range(4 * YOUNG)))
    assert Waiting.ended == []
    assert collector.look() is not None
    assert Waiting.ended == [True] and len(kept) == 4 * YOUNG
    assert collector.look() is None  # nothing more is due


def test_memory_is_given_back_in_the_background_without_a_collection(collector):
    Waiting()
    in_background(give_back)
    assert Waiting.ended == []
    give_back()
    assert Waiting.ended == [True]


def test_all_is_gone_through_when_asked_for(collector):
    gc.collect()
    Waiting()
    assert collector.look() is None
    collector.all_soon()
    assert collector.look() == 2 and Waiting.ended == [True]


def test_closing_a_layer_asks_for_all(desk, monkeypatch):
    from brisk_atlas.desktop.app import _collected

    asked = []
    monkeypatch.setattr(Collector, "all_soon", lambda self: asked.append(True))
    _collected(desk.window)
    desk.work.choose(desk.work.layers[0].id)
    assert not asked
    desk.work.remove(desk.work.layers[0].id)
    desk.settle()
    assert asked
