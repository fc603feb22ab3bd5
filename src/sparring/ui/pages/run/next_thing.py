"""The next obvious thing on Run: what the large button says, and what Space does."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from functools import partial
from typing import Literal, NamedTuple

from sparring.core.guard import guard_of
from sparring.core.plan import Lift, PlanStep
from sparring.core.plan.record import STILL
from sparring.core.run import Run, run_of
from sparring.ui.model.live import on_bench
from sparring.ui.model.living import LifeTest
from sparring.ui.page import Context
from sparring.ui.pages.run.by_eye import EyePanel


class Offer(NamedTuple):
    """text: on the button; say: below it; act: what it does, None while nothing can be done; alarm:
    the text is what matters most now; key: does the same; by_itself: nobody has to do anything
    before it, and the plan wants it to begin so.
    """

    text: str
    say: str = ""
    act: Callable[[], None] | None = None
    alarm: bool = False
    key: str = "Space"
    by_itself: bool = False


def next_thing(
    context: Context, lift: Lift | None, eye: EyePanel | None = None, *, enough: bool = False
) -> Offer:
    """What is offered now. lift: the next one, None when all of the plan is done; eye: where runs
    are read by a person; enough: the run under way has been steady for long enough.
    """
    s = context.session
    # a bench that may be moving goes before all else
    still = s.state in ("off", "connecting", "ready") or (s.state == "lost" and not s.stop_wanted)
    if eye is not None and still:
        return _by_eye(context, lift, eye)
    return _while_it_moves(context, enough) or _before_a_lift(context) or _a_lift(context, lift)


def of_life(life: LifeTest, show: Callable[[str], None]) -> Offer:
    """What is offered while a life test is on the desk."""
    assert life.journal is not None
    now = life.journal.now
    if now.state == "ended":
        say = f"The life test has ended: {now.why}. Ctrl+T starts a new test."
        return Offer("See the results", say, partial(show, "results"))
    if not life.alive:
        return Offer("Go on", "Its process is gone. It goes on where it was.", life.go_on)
    if now.state == "inspection":
        return Offer("Inspected: go on", f"{now.why}.", partial(life.tell, "resume"))
    if now.state == "paused":
        return Offer("Go on", f"Paused: {now.why}.", partial(life.tell, "resume"))
    say = "The life test goes on when this window is closed. Esc stops it at once."
    return Offer("Pause after this run", say, partial(life.tell, "pause"))


def _by_eye(context: Context, lift: Lift | None, eye: EyePanel) -> Offer:
    if not context.desk.rig.care_confirmed:
        return _confirm(context)
    if lift is None:
        return _results(context)
    if context.desk.broken:
        return _replace(context)
    step = context.desk.todo.step(lift.step)
    if step is not None and step.kind in STILL:
        return _at_rest(context, step)
    if held := _above_rated(context):
        return held
    if context.desk.unseen:
        say = f"{_first_power(context)} Switch it on briefly, stand clear, and watch."
        return Offer("It turns the right way, smoothly", say, context.desk.saw_it_turn)
    say = "By eye. Ctrl+Y returns to the bench."
    return Offer("Save this run", say, partial(eye.finish, "top"), key="Enter")


def _replace(context: Context) -> Offer:
    """Something broke in the newest run."""
    d = context.desk
    say = (
        f"In the last run broke: {d.broken}. Replace it by the like, or press Ctrl+R for a new"
        " revision. Space then goes on."
    )

    def done() -> None:
        d.mended()
        d.plan_changed.emit()

    return Offer("Replaced: go on", say, done)


def _first_power(context: Context) -> str:
    """`First power: 4 V, no load.`"""
    d = context.desk
    step = next(s for s in d.todo.todo if s.kind == "first power")
    return f"First power: {d.drive_name(step)}, no load."


def _above_rated(context: Context) -> Offer | None:
    """Where a step asks for more than the motor is for, and nobody allowed it."""
    d = context.desk
    if not (asked := d.above_rated()):
        return None
    say = (
        f"A step asks for {d.show(asked, 'voltage')}, the motor is for"
        f" {d.show(d.build.motor.voltage.value, 'voltage')}. Bench ▸ Allow more than the"
        " motor's voltage runs it all the same."
    )
    return Offer("Lower the voltage on Plan", say, lambda: context.show("plan"))


def _confirm(context: Context) -> Offer:
    return Offer(
        "Confirm the care notes",
        "Once per rig, by name, before anything is driven: on Rig, under Checks.",
        lambda: context.show("rig.care_read"),
    )


def _results(context: Context) -> Offer:
    """What follows when all of the plan is done, or all that the campaign wants of this build."""
    d = context.desk
    if d.in_campaign and (trial := d.trial()) is not None and d.campaign is not None:
        build, column = trial.cell
        what = "the reference, " if trial.reference else ""
        say = f"Campaign {d.campaign.name}: {what}block {trial.block} of {d.campaign.blocks}."
        return Offer(f"Mount {build}: {column}", say, partial(d.lay_trial, trial))
    return Offer("See the results", "The plan is complete.", lambda: context.show("results"))


def _while_it_moves(context: Context, enough: bool) -> Offer | None:
    """Where there is no bench, or it is busy."""
    d, s, method = context.desk, context.session, context.desk.rig.method
    _, doing, stopping = method.DOES
    if s.state == "off":
        return Offer(
            "Connect the simulated bench",
            "No bench connected. The Bench menu connects a board or other devices instead.",
            lambda: s.simulate(d.build, d.rig),
        )
    if s.state == "lost" and s.stop_wanted:
        say = f"{s.why}. It is told to stop as soon as it responds. Cut its power."
        return Offer("STOP not confirmed", say, alarm=True)
    if s.state in ("connecting", "lost"):
        return Offer("Waiting for the bench", s.why)
    if s.state == "lowering" or (s.state == "preparing" and s.hook_up):
        return Offer(f"{stopping} …")
    if s.state == "preparing":
        return Offer("Setting up …")
    if s.state == "stopping":
        say = "STOP is repeated until the bench confirms it. Cut its power if it does not stop."
        return Offer("STOP not confirmed", say, alarm=True)
    if s.state == "lifting":
        if not (s.obeys and (d.build.has_motor or s.simulated)) or s.has_no_end(method):
            return Offer("End this run", act=s.finish)
        if enough:
            return Offer("End this run", f"{doing}, steady for long enough.", s.finish)
        return Offer(f"{doing} …")
    return None


def _before_a_lift(context: Context) -> Offer | None:
    """What stands in the way of a lift."""
    d, s = context.desk, context.session
    method = d.rig.method
    if s.simulated and s.simulates != on_bench(d.build, d.rig):
        return Offer(
            "Set up the simulated bench again",
            f"It is still set up for {s.simulates}.",
            lambda: s.simulate(d.build, d.rig),
        )
    if not s.stands_in and not d.rig.care_confirmed:
        return _confirm(context)
    if method.LETS_DOWN and s.hook_up:
        return Offer(
            "Lower the hook",
            "It was stopped on the way; lower it before changing the load.",
            s.lower,
        )
    if s.obeys and s.tare is None and method.CELL:
        return Offer(
            "Tare, unloaded",
            f"The reading of the cell {method.CELL} becomes zero.",
            lambda: s.zero(f"{method.SET_BY[0]} 0"),
        )
    return None


def _at_rest(context: Context, step: PlanStep) -> Offer:
    """A step in which nothing is driven."""
    d = context.desk
    begun = context.session.rested_since(step.id)

    def done() -> None:
        began = begun.isoformat(timespec="seconds")
        run = Run(step=step.id, kind=step.kind, voltage=0.0, started=began, source="eye")
        d.runs_changed([d.add_run(run)])

    if step.kind == "inspect":
        what = step.part or "teeth, joints, backlash"
        return Offer(f"Inspected: {what}", "Switch the supply off first.", done)
    until = begun + timedelta(seconds=step.time or 0.0)
    return Offer("Cooled down: go on", f"Let it cool until {until.astimezone():%H:%M:%S}.", done)


def _a_lift(context: Context, lift: Lift | None) -> Offer:
    """The lift itself, or what follows when all are done."""
    d, s = context.desk, context.session
    if d.unseen and d.turned_once() and not s.again:
        say = f"{_first_power(context)} If it did not: mend it, then N runs it again."
        return Offer("It turned the right way, smoothly", say, d.saw_it_turn)
    method, do = d.rig.method, d.rig.method.DOES[0]
    if lift is None:
        return _results(context)

    if d.broken:
        return _replace(context)
    step = d.todo.step(lift.step)
    assert step is not None
    if step.kind in STILL:
        return _at_rest(context, step)
    if held := _above_rated(context):
        return held
    if step.voltage is not None and not d.build.has_motor:
        say = f"{d.build.name} has no motor: on Plan, give a speed in place of the voltage."
        return Offer("Plan a speed", say, lambda: context.show("plan.line"))
    setting = (method.SET_BY[0], step.setting(method)) if method.STEP else None

    def begin() -> None:
        assert d.book is not None
        s.guard = guard_of(d.rig)
        source: Literal["simulated", "bench"] = "simulated" if s.stands_in else "bench"
        own = d.build.has_motor
        run = run_of(d.rig, step, lift.repeat, source, d.voltage_of(step), has_motor=own)
        s.lift(run, d.ensure_test(), d.book.capture_path(), setting, step.time)

    if not step.counted:
        what = f"{step.kind[0].upper()}{step.kind[1:]}: {d.drive_name(step)}"
        return Offer(what, f"{d.load_name(step) or 'No load'}. Stand clear and watch.", begin)
    weight = d.step_name(step) if method.STEP else ""
    by_itself = s.obeys and d.todo.advance == "when steady"
    if setting is None or (s.hung is not None and abs(s.hung - setting[1]) < 1e-6):
        again = " again" if any(x.step == lift.step for x in d.done_lifts()) else ""
        return Offer(f"{do} {weight}".strip() + again, act=begin, by_itself=by_itself)
    if s.obeys:
        say = (
            f"The simulated bench sets the {method.STEP} by itself."
            if s.simulated
            else f"Apply the {method.STEP} while the bench is at rest."
        )
        verb = "Hang" if method.weighed() else "Set"
        hands = not s.stands_in  # a real bench has its load put on by somebody
        text = f"{verb} {weight}, then {do.lower()}"
        return Offer(text, say, begin, by_itself=by_itself and not hands)
    return Offer(
        f"Record a run {f'of {weight}' if weight else ''}".strip(),
        f"This bench takes no commands: press, {do.lower()} by hand, press again at the end.",
        begin,
    )
