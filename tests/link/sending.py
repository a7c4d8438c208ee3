"""Short ways to say what is sent."""

from crisp_hornet.link.difference import difference
from crisp_hornet.link.plan import Plan
from crisp_hornet.link.send import send


def draft(contact, **settings):
    tune = contact.tune("draft")
    for path, value in settings.items():
        tune = tune.with_setting(path.replace("__", "."), value)
    return difference(contact.map, contact.raws, tune)


def send_all(contact, changes, keep=True, cancelled=lambda: False, steps=None, journal=None, wheel_up=False):
    plan = Plan(changes, keep, wheel_up)
    return send(contact, plan, (steps if steps is not None else []).append, cancelled, journal)
