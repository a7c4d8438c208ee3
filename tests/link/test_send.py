"""Sending: proved or taken back, and always said what the controller holds."""

import random

import pytest

from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.rules import Situation, judge
from crisp_hornet.documents.acts import Act
from crisp_hornet.link.contact import tune_of
from crisp_hornet.link.difference import changes_to, difference, left_out
from crisp_hornet.link.marker import FileJournal, resolve
from crisp_hornet.link.order import RANKS, SPEEDS, NoOrder, safe_order, with_values, write_order
from crisp_hornet.link.plan import needs_inhibit, trial_refusal
from crisp_hornet.link.report import Held, Kept, Outcome
from tests.amount import some
from tests.bikes import a_tune
from tests.link.inprocess import BIKE
from tests.link.sending import draft, send_all


def test_a_kept_send_is_proved_and_really_there(standin, contact):
    steps = []
    report = send_all(contact, draft(contact, drive__battery_current_a=36.3, drive__power_w=2000), steps=steps)
    assert (
        report.outcome is Outcome.PROVED
        and report.kept is Kept.SEEN
        and report.compared == len(contact.map.register_list)
    )
    for kept in (False, True):
        held = standin.holds(kept)
        assert held["drive.battery_current_a"] == 36.0  # rounded to the register's safe side
        assert held["drive.power_w"] == 2000
    assert steps[-1].done < steps[-1].total
    assert difference(contact.map, contact.raws, contact.tune("now")) == []


def test_a_trial_is_gone_after_power_off(standin, contact):
    report = send_all(contact, draft(contact, drive__phase_current_a=110), keep=False)
    assert report.outcome is Outcome.PROVED and report.kept is Kept.NO
    assert standin.holds()["drive.phase_current_a"] == 110 and standin.holds(kept=True)["drive.phase_current_a"] == 90
    standin.do("key-off")
    assert standin.holds()["drive.phase_current_a"] == 90


@pytest.mark.parametrize(
    ("change", "why"),
    [
        ({"drive__phase_current_a": 70}, "restore the higher phase current, 90 A"),
        ({"drive__field_weakening_a": 10}, "losing field weakening"),
        ({"regen__phase_current_a": 30}, "braking must not change"),
        ({"battery_guard__fade_start_v": 52}, "higher low-voltage cutoff start, 50 V"),
    ],
)
def test_what_would_be_unsafe_to_lose_at_speed_is_never_tried(standin, contact, change, why):
    changes = draft(contact, **change)
    assert why in trial_refusal(changes)
    before = standin.holds()
    report = send_all(contact, changes, keep=False)
    assert report.outcome is Outcome.REFUSED and why in report.message and standin.holds() == before
    assert trial_refusal(draft(contact, drive__phase_current_a=95, drive__motor_rpm=620)) == ""


def test_reductions_are_written_first(contact):
    changes = draft(contact, drive__phase_current_a=120, drive__battery_current_a=20, battery_guard__fade_start_v=52)
    assert [change.eases for change in changes] == [True, True, False]


def test_a_fade_that_moves_down_is_never_crossed(contact):
    """End 47 to 40 and start 50 to 44 V: written in the wrong order the pair would stand crossed for a moment."""
    changes = draft(contact, battery_guard__fade_end_v=40, battery_guard__fade_start_v=44)
    order = safe_order(BIKE, contact.tune("now"), changes, 62.4)
    assert [change.register.name for change in order] == ["battery_guard.fade_end_v", "battery_guard.fade_start_v"]


def test_after_each_prefix_no_rule_is_louder_than_at_both_ends(contact):
    """Seeded: random pairs of tunes; where an order is found, every state in between is checked by itself."""
    rng, found = random.Random(3), 0
    conditions = Conditions(62.4)

    def loud(tune):
        curve = pull_curve(BIKE, tune, SPEEDS, conditions)
        return {one.id: RANKS[one.strength] for one in judge(Situation(BIKE, tune, curve, start))}

    for _ in range(some(6, 2)):
        start = contact.tune("start")
        wanted = {
            "drive.phase_current_a": rng.uniform(20, 200),
            "drive.battery_current_a": rng.uniform(5, 70),
            "drive.field_weakening_a": rng.choice([0, 10, 40]),
            "battery_guard.fade_end_v": rng.uniform(38, 46),
            "battery_guard.fade_start_v": rng.uniform(46, 55),
            "heat_guard.motor_fade_start_c": float(rng.randint(60, 100)),
            "heat_guard.motor_fade_end_c": float(rng.randint(110, 170)),
        }
        changes = changes_to(contact.map, contact.raws, wanted)
        try:
            order = safe_order(BIKE, start, changes, 62.4)
        except NoOrder:
            continue
        found += 1
        end = loud(with_values(start, {c.register.name: c.after for c in order}))
        for count in range(len(order)):
            tune = with_values(start, {c.register.name: c.after for c in order[:count]})
            assert tune is not None
            for rule, strength in loud(tune).items():
                assert strength <= max(loud(start).get(rule, 0), end.get(rule, 0), 1), rule
    assert found >= some(5, 2)


def test_regen_is_switched_on_in_one_send_though_half_of_it_is_useless(standin, contact):
    """One of the two currents is set before the other: a mere note, which must not bar the way."""
    off = draft(contact, regen__phase_current_a=0, regen__battery_current_a=0)
    assert send_all(contact, off).outcome is Outcome.PROVED
    on = draft(contact, regen__phase_current_a=20, regen__battery_current_a=5)
    assert len(safe_order(BIKE, contact.tune("now"), on, 60.0)) == 2


def test_where_no_order_is_safe_it_is_said_what_stands_in_the_way(contact):
    one, other = draft(contact, drive__phase_current_a=100, drive__battery_current_a=20)
    always = {"drive.phase_current_a": "left-arm", "drive.battery_current_a": "right-arm"}

    def strengths(values):  # either alone is dangerous, both together are not
        return {always[name]: 3 for name in values} if len(values) == 1 else {}

    with pytest.raises(NoOrder, match="In between this would hold: left-arm; right-arm. Send it in two steps"):
        write_order([one, other], strengths)


def test_an_order_is_not_sought_for_ever(contact):
    """Twenty-odd changes, one of which bars the way: of a million states only so many are looked at."""
    registers = [one for one in contact.map.register_list if one.name in contact.raws][:24]
    changes = changes_to(contact.map, contact.raws, {one.name: one.max for one in registers})
    asked = []

    def strengths(values):
        asked.append(1)
        return {"bad": 3} if changes[-1].register.name in values and len(values) < len(changes) - 1 else {}

    with pytest.raises(NoOrder):
        write_order(
            changes, lambda values: {**strengths(values), **({"worse": 3} if len(values) == len(changes) - 1 else {})}
        )
    assert len(asked) < 5000


@pytest.mark.parametrize("survived", [0, 1, 2])
def test_a_pulled_plug_is_said_plainly_and_nothing_is_called_known_that_is_not(bench, tmp_path, survived):
    standin = bench.stand_in()
    contact, journal = bench.contact(standin), FileJournal(tmp_path)
    changes = draft(contact, drive__phase_current_a=100, drive__battery_current_a=34, drive__speed_taper_kmh=3)
    standin.do(f"cut-after-writes {survived}")
    report = send_all(contact, changes, journal=journal)
    assert report.outcome is Outcome.NOT_PROVED
    held = [report.held[change.register.name] for change in changes]
    assert held == [Held.UNKNOWN] * (survived + 1) + [Held.OLD] * (2 - survived)
    assert "is not known" in report.message and "Do not ride" in report.message
    # plugged in again: the marker tells at the next contact what was found
    standin.do("plug")
    again = bench.contact(standin, standin.standin.terminal.plug_name)
    marker = journal.found(again.identity.serial)
    found = resolve(marker, again)
    truth = standin.holds()
    assert found.new == [c.register.label for c in changes if truth[c.register.name] == c.after]
    assert not found.neither and ("interrupted" in found.text)


def test_feel_and_modes_are_sent_proved_and_read_back_as_drafted(standin, contact):
    tune = contact.tune("draft").with_settings({
        "throttle.share_25": 0.1, "throttle.share_50": 0.3, "throttle.start": 1.0, "throttle.walk_kmh": 5.0, "throttle.ramp_s": 0.8,
        "assist.style": 3.0, "assist.levels.count": 7.0, "assist.levels.7.multiplier": 7.5,
        "assist.levels.2.power_share": 0.66,
    }).with_settings({"modes.count": 3.0}).with_settings({"modes.1.starts": 1.0, "modes.1.speed_kmh": 21.0, "modes.2.starts": 0.0,
                                                               "modes.3.reverse": 1.0})  # fmt: skip
    changes = difference(contact.map, contact.raws, tune)
    assert [one.register.name for one in changes][-2:] == [
        "assist.levels.count",
        "modes.count",
    ]  # once their items are right
    assert trial_refusal(changes) and needs_inhibit(changes)
    style = [one for one in changes if one.register.name == "assist.style"]
    assert "must not change while riding" in trial_refusal(style) and not needs_inhibit(style)
    told = [one.in_words() for one in changes]
    assert "throttle works when standstill to pedalling" in told and "current at 50 % throttle 50 % to 30 %" in told
    report = send_all(contact, changes)
    assert report.outcome is Outcome.PROVED, report
    held = tune_of(contact.map, contact.raws, "held")
    assert tune.differing(held) == [] and held.differing(tune) == []
    assert held.throttle == tune.throttle and held.assist == tune.assist
    named = held.completed_from(tune.model_copy(update={"modes": [one.model_copy(update={"name": f"mine {at}"})
                                                                  for at, one in enumerate(tune.modes)]}))  # fmt: skip
    assert [mode.name for mode in named.modes] == ["mine 0", "mine 1", "mine 2"]


def test_a_response_map_levels_of_a_mode_and_weakening_as_a_share_are_sent_and_read_back_as_drafted(bench):
    standin = bench.stand_in("Weir 90")
    contact = bench.contact(standin)
    points = {"throttle.response.count": 3.0}
    for at, (volts, share) in enumerate([(0.95, 0.0), (2.4, 0.3), (3.9, 1.0)], start=1):
        points |= {f"throttle.response.{at}.volts": volts, f"throttle.response.{at}.share": share}
    own = {
        "modes.count": 2.0,
        "modes.2.levels.count": 3.0,
        "modes.2.levels.3.multiplier": 4.5,
        "modes.2.levels.1.power_share": 0.3,
    }
    tune = contact.tune("draft").with_settings(points | own | {
        "drive.phase_current_a": 130.0, "drive.field_weakening_a": 20.0, "throttle.asks": 1.0, "throttle.cruise_s": 8.0,
        "assist.shift_cut_s": 0.25,
    })  # fmt: skip
    changes = difference(contact.map, contact.raws, tune)
    weakening = next(one for one in changes if one.register.name == "drive.field_weakening_a")
    assert (
        weakening.in_words() == "field weakening 0 % of phase current to 15 % of phase current"
        and weakening.means == 19.5
    )
    assert "permanent only" in trial_refusal([one for one in changes if "response" in one.register.name][:1])
    report = send_all(contact, changes)
    assert report.outcome is Outcome.PROVED, report
    held = tune_of(contact.map, contact.raws, "held")
    assert (
        held.differing(tune) == ["drive.field_weakening_a"] and held.drive.field_weakening_a == 19.5
    )  # rounded to less
    assert held.throttle.response == tune.throttle.response and held.modes[1].levels == tune.modes[1].levels
    assert difference(contact.map, contact.raws, tune) == []
    # what weakens is a share: it changes with the phase current, so a trial of that alone is none
    more = difference(
        contact.map, contact.raws, held.with_settings({"drive.phase_current_a": 140.0, "drive.field_weakening_a": 21.0})
    )
    assert [one.register.name for one in more] == ["drive.phase_current_a"] and "changes with it" in trial_refusal(more)
    off = difference(
        contact.map, contact.raws, held.with_settings({"throttle.response.count": 0.0, "modes.2.levels.count": 0.0})
    )
    assert send_all(contact, off).outcome is Outcome.PROVED
    again = tune_of(contact.map, contact.raws, "held")
    assert again.throttle.response is None and again.modes[1].levels is None


def test_nothing_is_written_while_the_wheel_turns_the_throttle_is_open_or_the_charger_is_on(standin, contact):
    before = standin.holds()
    for act, back, words in (
        ("throttle 0.4", "throttle 0", "throttle is open"),
        ("turn-back 1", "turn-back 0", "wheel is turning"),
        ("charger 1", "charger 0", "charger is on"),
        ("freeze 1", "freeze 0", "frozen"),
    ):
        standin.do(act)
        if act.startswith("throttle"):
            standin.standin.bike.rider.throttle = 0.4  # no clock runs here
        report = send_all(contact, draft(contact, drive__battery_current_a=20))
        assert report.outcome is Outcome.STOPPED and words in report.message, act
        assert standin.holds() == before
        standin.do(back)
        standin.standin.bike.rider.throttle = 0.0
    assert send_all(contact, draft(contact, drive__battery_current_a=20)).outcome is Outcome.PROVED


def test_a_gate_that_closes_in_the_middle_takes_everything_back(standin, contact):
    before = standin.holds()
    standin.do("after 0 turn-back 1")
    report = send_all(contact, draft(contact, drive__phase_current_a=100, drive__battery_current_a=34))
    assert report.outcome is Outcome.STOPPED and "wheel is turning" in report.message
    assert "holds what it held before" in report.message and standin.holds() == before


def test_stopping_midway_takes_back_what_was_written(standin, contact):
    asked = iter([False, True])
    changes = draft(contact, drive__phase_current_a=100, drive__battery_current_a=34)
    report = send_all(contact, changes, cancelled=lambda: next(asked))
    assert report.outcome is Outcome.STOPPED and "holds what it held before" in report.message
    assert standin.holds()["drive.phase_current_a"] == 90


def test_somebody_else_is_noticed_before_anything_is_written(standin, contact):
    changes = draft(contact, drive__phase_current_a=100)
    standin.do("set drive.battery_current_a 17")
    report = send_all(contact, changes)
    assert report.outcome is Outcome.REFUSED and "battery current 30 A to 17 A" in report.message
    assert standin.holds()["drive.phase_current_a"] == 90
    assert contact.tune("now").drive.battery_current_a == 17


class MeddlingLine:
    """A line on which something happens just before the keep command reaches the controller."""

    def __init__(self, contact, happens):
        self._line, self._happens = contact.line, happens

    def __getattr__(self, name):
        return getattr(self._line, name)

    def act(self, act):
        if act is Act.KEEP:
            self._happens()
        self._line.act(act)


def test_a_restart_just_before_keeping_is_not_called_kept(standin, contact):
    contact.line = MeddlingLine(contact, lambda: standin.do("key-off"))
    report = send_all(contact, draft(contact, drive__phase_current_a=100))
    assert report.outcome is Outcome.NOT_PROVED and report.held == {"drive.phase_current_a": Held.OLD}
    assert "it restarted meanwhile" in report.message and contact.tune("now").drive.phase_current_a == 90
    assert standin.holds(kept=True)["drive.phase_current_a"] == 90


def test_somebody_who_writes_just_before_keeping_is_told(standin, contact):
    contact.line = MeddlingLine(contact, lambda: standin.do("set drive.phase_current_a 77"))
    report = send_all(contact, draft(contact, drive__phase_current_a=100, drive__motor_rpm=610))
    assert report.outcome is Outcome.NOT_PROVED
    assert report.held == {"drive.phase_current_a": Held.UNKNOWN, "drive.motor_rpm": Held.NEW}
    assert "phase current reads 77 A, neither the old 90 A nor the new 100 A" in report.message


def test_what_the_controller_cannot_hold_or_lacks_is_named(bench, contact):
    with pytest.raises(ValueError, match="battery current 81 A lies outside"):
        draft(contact, drive__battery_current_a=81)
    other = bench.contact(bench.stand_in("Sluice 40"))
    tune = a_tune(drive__field_weakening_a=15.0, drive__power_w=900.0)
    lacking = {one.lack.name: one for one in left_out(other.map, tune)}
    assert (
        lacking["drive.field_weakening_a"].asked == 15
        and "does not weaken" in lacking["drive.field_weakening_a"].lack.reason
    )
    assert other.tune("now").drive.field_weakening_a == 0 and other.tune("now").drive.power_w is None


def test_sensors_change_only_while_the_motor_is_held_off(standin, contact):
    changes = changes_to(contact.map, contact.raws, {"calibration.throttle_rest_v": 0.9})
    seen = []

    def steps(progress):
        seen.append((progress.text, standin.standin.controller.inhibited))

    report = send_all(contact, changes, steps=type("S", (), {"append": staticmethod(steps)})())
    assert report.outcome is Outcome.PROVED and standin.holds(kept=True)["calibration.throttle_rest_v"] == 0.9
    assert any(inhibited for text, inhibited in seen if text.startswith(("writing", "waiting")))
    assert not standin.standin.controller.inhibited
    # a torque sensor that does not read rest with the new values: taken back
    standin.do("pedal 12")
    report = send_all(contact, changes_to(contact.map, contact.raws, {"calibration.torque_rest_v": 1.2}))
    assert report.outcome is Outcome.STOPPED and "torque sensor does not read rest" in report.message
    assert standin.holds()["calibration.torque_rest_v"] == 0.75 and not standin.standin.controller.inhibited
    assert trial_refusal(changes).startswith("throttle at rest is a sensor setting")


def test_without_an_inhibit_the_wheel_is_lifted_and_confirmed(bench):
    standin = bench.stand_in("Sluice 40")
    contact = bench.contact(standin)
    changes = changes_to(contact.map, contact.raws, {"calibration.throttle_rest_v": 1.0})
    report = send_all(contact, changes)
    assert report.outcome is Outcome.REFUSED and "cannot disable its motor" in report.message
    assert send_all(contact, changes, wheel_up=True).outcome is Outcome.PROVED


def test_a_change_that_counts_after_power_off_says_so(contact):
    report = send_all(contact, changes_to(contact.map, contact.raws, {"calibration.position_offset_deg": 12.5}))
    assert (
        report.outcome is Outcome.PROVED and "Switch it off and on: only then position sensor offset" in report.message
    )


def test_a_register_that_holds_something_else_is_named_with_what_it_reads(standin, contact):
    changes = draft(contact, drive__phase_current_a=100, drive__battery_current_a=34)
    standin.do("stick drive.battery_current_a 11")
    report = send_all(contact, changes)
    assert report.outcome is Outcome.NOT_PROVED
    assert report.held == {"drive.phase_current_a": Held.OLD, "drive.battery_current_a": Held.UNKNOWN}
    assert "Battery current reads 11 A, neither the old 30 A nor the new 34 A" in report.message
    assert contact.tune("now").drive.battery_current_a == 11  # and so the next difference starts from what is there


def test_a_low_supply_refuses_and_says_so(standin, contact):
    standin.do("dip 40")
    report = send_all(contact, draft(contact, drive__phase_current_a=100))
    assert report.outcome is Outcome.NOT_PROVED and "supply is too low" in report.message
    assert "holds what it held before" in report.message
