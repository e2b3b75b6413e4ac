"""Work shared among threads."""

import threading

import pytest

from earshot.running import in_shares, in_threads


def test_every_share_is_done_once_and_within_one_another():
    done = []
    in_threads(lambda share: in_threads(lambda part: done.append((share, part)), range(3)), range(4))
    assert sorted(done) == [(a, b) for a in range(4) for b in range(3)]
    parts = []
    in_shares(parts.append, 10)
    assert sorted(i for part in parts for i in range(10)[part]) == list(range(10))
    in_shares(parts.append, 0)


def test_an_error_is_told_when_all_are_done():
    done = threading.Event()

    def work(share):
        if share == 0:
            raise ValueError("the first")
        done.set()

    with pytest.raises(ValueError, match="the first"):
        in_threads(work, range(2))
    assert done.is_set()

    def last(share):
        if share == 1:
            raise ValueError("the last")

    with pytest.raises(ValueError, match="the last"):
        in_threads(last, range(2))
