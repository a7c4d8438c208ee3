"""Lay a job on the bench: a simulated bike with its hidden truths, and a garage of its own with a little history."""

from __future__ import annotations

from datetime import datetime, timedelta
from pathlib import Path

from crisp_hornet.documents.backup import BackedUpRegister, Backup
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.job import Job
from crisp_hornet.documents.maps import shipped_map
from crisp_hornet.documents.route import Route
from crisp_hornet.garage.garage import Garage
from crisp_hornet.link.contact import tune_of
from crisp_hornet.practice.drawing import Drawn
from crisp_hornet.practice.jobs import bike_of
from crisp_hornet.standin.sensors import SensorTruth, with_truth
from crisp_hornet.standin.workshop import Workshop

AS_SET = {
    "calibration.throttle_rest_v": "throttle_rest_v", "calibration.throttle_full_v": "throttle_full_v",
    "calibration.torque_rest_v": "torque_rest_v", "calibration.torque_nm_per_v": "torque_nm_per_v",
    "calibration.pedal_pulses": "pedal_pulses", "calibration.position_offset_deg": "position_offset_deg",
    "calibration.motor_sensor_kind": "thermistor", "calibration.motor_sensor_beta": "ntc_beta",
}  # fmt: skip


def map_of(job: Job) -> ControllerMap:
    """The description of the job's controller. Raises :class:`DocumentError`."""
    try:
        return shipped_map(job.controller)
    except (KeyError, StopIteration, ValueError):
        raise DocumentError(job.name, "controller", f"there is no {job.controller!r}", "Name one that ships.") from None


def workshop_of(job: Job, drawn: Drawn) -> Workshop:
    """The simulated bike as the customer brings it. Raises :class:`DocumentError` for an act that makes no sense."""
    shop = Workshop(bike_of(job), map_of(job))
    prepare(shop, job, drawn)
    return shop


def prepare(shop: Workshop, job: Job, drawn: Drawn) -> None:
    """Make a workshop's bike the one of a job."""
    shop.controller.sensors.truth = SensorTruth()
    settle(shop, job)
    for setting, sensor in AS_SET.items():  # what no job names is as it is set
        value = shop.controller.values().get(setting)
        if value is not None:
            shop.controller.sensors.truth = with_truth(shop.controller.sensors.truth, sensor, value)
    for line in (*drawn.acts, "keep", f"charge {job.start:g}"):
        if (said := shop.do(line)).startswith("no "):
            raise DocumentError(job.name, "hidden", f"{line}: {said[3:]}", "Correct the act.")
    shop.bike.defects.mends = {mend.name: [part.strip() for part in mend.act.split(";")] for mend in job.mends}
    shop.controller.power_cycle()
    shop.journal.rows.clear()


def settle(shop: Workshop, job: Job) -> None:
    """The controller with the job's settings, kept."""
    for name, value in job.settings.items():
        register = shop.controller.map.register(name)
        if register is None:
            raise DocumentError(job.name, f"settings.{name}", f"{job.controller} has no such setting", "Correct it.")
        shop.controller.put(register, register.encode(value))
    shop.controller.kept = dict(shop.controller.running)


def held_backup(job: Job, taken: datetime) -> Backup:
    """What the controller held before: the job's backup, or one made of its settings, with a sound set of calibrations."""
    if job.held is not None:
        return job.held
    shop = Workshop(bike_of(job), map_of(job))
    settle(shop, job)
    controller = shop.controller
    registers = [
        BackedUpRegister(
            name=one.name,
            address=one.address,
            word=controller.kept[one.name],
            value=one.decode(controller.kept[one.name]),
            unit=one.unit,
            type=one.type,
            calibration=one.is_calibration,
        )
        for one in controller.map.register_list
    ]
    identity = controller.map.identity
    return Backup(
        taken=taken.isoformat(timespec="seconds"),
        vendor=identity.vendor,
        product=identity.product,
        firmware=controller.firmware,
        serial=controller.serial,
        registers=registers,
    )


def make_garage(folder: Path, job: Job, now: datetime | None = None) -> Garage:
    """The job's own garage: its bike, what is in the logbook, the backup from before, and the tune that it held then."""
    now = now or datetime.now().astimezone()
    garage = Garage(folder)
    if garage.glance.last_bike() is not None:  # it was begun before
        return garage
    bike = bike_of(job)
    number = garage.bikes.save(bike)
    days = max((told.days_ago for told in job.history), default=60)
    backup = held_backup(job, now - timedelta(days=days))
    for told in job.history:
        garage.book.log(number, told.kind, told.title, told.detail, now - timedelta(days=told.days_ago))
    garage.backups.keep(number, backup, now - timedelta(days=days))
    controller_map = map_of(job)
    tune = tune_of(controller_map, backup.raws(), f"{bike.name}, as it was")
    garage.tunes.keep_controller(number, tune)
    for name, road in job.roads.items():
        if road.length_m > 60 and not name.startswith("_"):
            plain = Route(format="crisp-hornet/route", version=1, name=road.name, points=road.points)
            garage.roads.keep(plain)
    return garage
