"""A signal unwinds what runs, but where that would crash: there it waits."""

import os
import signal
import sys
import time

import pytest

from bluffline import stopping


@pytest.fixture(autouse=True)
def nobody_asks_any_more():
    """What was asked in a test is forgotten with it."""
    yield
    stopping._asked.clear()



@pytest.fixture
def listening():
    numbers = (*stopping.SIGNALS, signal.SIGALRM)
    before, hook = [signal.getsignal(number) for number in numbers], sys.unraisablehook
    for number in stopping.SIGNALS:  # whoever runs the tests in the background has some of them ignored
        signal.signal(number, signal.SIG_DFL)
    stopping.listen()
    yield
    stopping.rest()
    sys.unraisablehook = hook
    for number, handler in zip(numbers, before, strict=True):
        signal.signal(number, handler)


@pytest.mark.parametrize("number", stopping.SIGNALS)
def test_a_signal_waits_until_what_must_not_be_unwound_is_done(listening, number):
    done = []

    def work():
        with stopping.held():
            os.kill(os.getpid(), number)
            done.append("all of it")

    with pytest.raises(stopping.Stopped):
        work()
    assert done and stopping.asked() and stopping.code() == 128 + number


def test_without_a_signal_nothing_is_ended_and_the_next_unwinds(listening):
    with stopping.held():
        pass
    with pytest.raises(stopping.Stopped):
        os.kill(os.getpid(), signal.SIGTERM)


class ThrownAway:
    """Something that a signal comes to while it is thrown away, where no exception can go on."""

    def __del__(self):
        os.kill(os.getpid(), signal.SIGTERM)


def test_a_signal_that_is_lost_prints_nothing_and_asks_again(listening, monkeypatch, capsys):
    monkeypatch.setattr(stopping, "_AGAIN", 0.05)

    def work():
        thrown = ThrownAway()
        del thrown
        until = time.monotonic() + 30
        while time.monotonic() < until:
            pass

    with pytest.raises(stopping.Stopped):
        work()
    assert capsys.readouterr().err == "" and stopping.code() == 128 + signal.SIGTERM
