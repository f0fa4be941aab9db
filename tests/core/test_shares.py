"""Sharing work between the cores, and doing it alone."""

from __future__ import annotations

import threading

import pytest

from brisk_atlas.core.system import shares


def pieces_of(count, pieces):
    done = []
    shares.in_pieces(count, pieces, lambda a, b: done.append((a, b, threading.get_ident())))
    return sorted(done)


def test_pieces_are_done_by_other_threads_or_alone_in_their_order_on_this_one():
    assert threading.get_ident() not in {who for *_, who in pieces_of(10, 4)}
    with shares.alone():
        alone = pieces_of(10, 4)
        elsewhere = []
        other = threading.Thread(target=lambda: elsewhere.extend(pieces_of(10, 4)))
        other.start()
        other.join()
    assert [(a, b) for a, b, _ in alone] == [(0, 2), (2, 5), (5, 7), (7, 10)]
    assert {who for *_, who in alone} == {threading.get_ident()}
    assert other.ident not in {who for *_, who in elsewhere}  # what other threads share out is shared all the same


def test_what_goes_wrong_alone_is_raised_and_others_are_shared_again_after_it():
    with pytest.raises(ZeroDivisionError), shares.alone():
        shares.in_pieces(4, 2, lambda a, b: a // 0)
    assert threading.get_ident() not in {who for *_, who in pieces_of(10, 4)}
