"""The answer service without a window: order of wants, what is kept, refused and given up."""

import dataclasses
import time
from collections.abc import Callable, Iterator

import numpy as np
import pytest

from tartan.project.analysis import answers as service
from tartan.project.analysis.answers import Answers, News, Priority
from tartan.project.analysis.inputs import PartInputs, part_inputs
from tartan.project.analysis.jobs import Progress, solve_now
from tartan.project.analysis.worker import JobState
from tartan.project.document.partmodel import Part
from tests.panels import dish_panel


def inputs_of(size: float = 0.12, thicker: float = 1.0) -> PartInputs:
    """A coarse dish; `thicker` makes answers that differ."""
    project = dish_panel()
    part = project.part
    assert isinstance(part, Part)
    stack = project.stacks[0]
    plies = [
        dataclasses.replace(p, thickness=p.thickness * thicker if p.thickness else None)
        for p in stack.plies
    ]
    stacks = (dataclasses.replace(stack, plies=tuple(plies)), *project.stacks[1:])
    part = dataclasses.replace(part, mesh_size=size)
    return part_inputs(dataclasses.replace(project, part=part, stacks=stacks))


class Heard(list[News]):
    """News as they come, with a wait for something to be so."""

    def ends(self) -> list[tuple[PartInputs, JobState]]:
        return [(n.inputs, n.state) for n in self if n.state is not JobState.RUNNING]


@pytest.fixture
def heard() -> Heard:
    return Heard()


@pytest.fixture
def answers(heard: Heard) -> Iterator[Answers]:
    made = Answers(heard.append)
    yield made
    made.stop()


def wait(answers: Answers, done: Callable[[], bool]) -> None:
    end = time.monotonic() + 120
    while not done():
        assert time.monotonic() < end
        answers.poll()
        time.sleep(0.005)


def test_what_is_wanted_is_told_once_and_then_there(answers: Answers, heard: Heard) -> None:
    inputs = inputs_of()
    assert answers.want(inputs) is None
    wait(answers, lambda: bool(heard.ends()))
    assert heard.ends() == [(inputs, JobState.DONE)]
    found = answers.want(inputs)
    assert found is not None
    assert not answers.busy
    alone = solve_now(inputs)
    np.testing.assert_allclose(found.margins.reserve, alone.margins.reserve, rtol=1e-9)
    answers.forget()
    assert answers.find(inputs) is None


def test_what_is_urgent_goes_first_and_what_waits_keeps_its_order(
    answers: Answers, heard: Heard
) -> None:
    urgent, first, second = inputs_of(0.1), inputs_of(0.13), inputs_of(0.14)
    answers.want(urgent)
    answers.only_later([first, second])
    wait(answers, lambda: len(heard.ends()) == 3)
    assert heard.ends() == [(x, JobState.DONE) for x in (urgent, first, second)]


def test_an_urgent_want_takes_the_place_of_what_is_worked_on(
    answers: Answers, heard: Heard
) -> None:
    old, new = inputs_of(0.03), inputs_of(0.12)
    answers.want(old)
    wait(answers, lambda: bool(heard))
    answers.want(new)
    wait(answers, lambda: len(heard.ends()) == 2)
    assert heard.ends() == [(old, JobState.CANCELLED), (new, JobState.DONE)]
    assert answers.find(old) is None


def test_what_was_given_up_may_be_wanted_again(answers: Answers, heard: Heard) -> None:
    inputs = inputs_of(0.03)
    answers.want(inputs, Priority.LATER)
    wait(answers, lambda: bool(heard))
    answers.cancel()
    answers.only_later([inputs])
    wait(answers, lambda: answers.find(inputs) is not None)
    assert heard.ends() == [(inputs, JobState.CANCELLED), (inputs, JobState.DONE)]


def test_a_refusal_is_kept_for_what_waits_and_tried_again_when_urgent(
    answers: Answers, heard: Heard
) -> None:
    loose = dataclasses.replace(inputs_of(), supports=())
    for times in (1, 1):
        answers.want(loose, Priority.LATER)
        wait(answers, lambda: not answers.busy)
        assert len(heard.ends()) == times
    refused = answers.refusal(loose)
    assert refused is not None
    assert "no supports" in str(refused)
    answers.want(loose)
    wait(answers, lambda: len(heard.ends()) == 2)
    assert heard.ends()[-1] == (loose, JobState.FAILED)


def test_what_is_kept_is_bounded_and_spares_what_is_in_use(
    answers: Answers, heard: Heard, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(service, "KEPT", 2)
    many = [inputs_of(0.2, 1 + i / 10) for i in range(4)]
    answers.want(many[0])
    wait(answers, lambda: not answers.busy)
    shown = answers.find(many[0])
    answers.in_use = lambda: (shown,)
    for each in many[1:]:
        answers.want(each)
        wait(answers, lambda: not answers.busy)
    assert [answers.find(x) is not None for x in many] == [True, False, False, True]


def test_the_time_left_is_told_once_it_can_be_judged() -> None:
    begun = Progress("factorising", 0.05)
    assert begun.timed(10.0) is begun
    assert begun.words == "factorising · 5%"
    assert Progress("meshing", 0.0).words == "meshing"
    half = Progress("factorising", 0.5).timed(0.4)
    assert half.left is None
    # A quarter in 20 s leaves three quarters in 60 s, a tenth in 60 s nine in 9 min.
    assert Progress("iterating", 0.25).timed(20.0).left == pytest.approx(60.0)
    assert Progress("iterating", 0.25).timed(20.0).words == "iterating · 25% · 60 s left"
    assert Progress("iterating", 0.1).timed(60.0).words == "iterating · 10% · 9 min left"
    assert Progress("counting", 0.999).timed(30.0).words.endswith(" 1 s left")
