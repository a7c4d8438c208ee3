"""The draft: changed undoably, kept by itself shortly after each change, also under names."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import count

from pydantic import ValidationError
from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QUndoCommand

from crisp_hornet.bench.desk.held import Held
from crisp_hornet.bench.desk.open_bike import OpenBike
from crisp_hornet.bench.desk.prediction import Prediction
from crisp_hornet.bench.desk.story import Story
from crisp_hornet.documents.companions import companions
from crisp_hornet.documents.tune import SETTING_GROUPS, Tune

KEEP_MS = 600


class Draft(QObject):
    """``tune`` is None until there is one: opened, made, or taken from the controller."""

    changed = pyqtSignal()

    def __init__(self, bike: OpenBike, held: Held, story: Story) -> None:
        super().__init__()
        self._bike, self._held, self._story = bike, held, story
        self.tune: Tune | None = None
        self._kept: Tune | None = None  # as it lies in the garage, as far as is known here
        self.prediction: Prediction | None = None
        self._tokens = count(1)
        self._gesture: tuple[int, Tune] | None = None
        self._named: dict[str, Tune] | None = None
        self._compared: tuple[Tune | None, Tune | None, list[str]] = (None, None, [])
        self._keep_soon = QTimer(self)
        self._keep_soon.setSingleShot(True)
        self._keep_soon.setInterval(KEEP_MS)
        self._keep_soon.timeout.connect(self.keep)
        bike.recompute.connect(self.predict)
        bike.follow.connect(self.changed)

    def reload(self) -> None:
        """Take up the draft of the active bike; without one, what its controller holds."""
        self._named = self._gesture = None
        kept = self._bike.garage.glance.tune(self._bike.id, "draft") if self._bike.document is not None else None
        self._kept, self.tune = kept, kept or self._held.tune
        self.predict()

    def predict(self) -> None:
        """Bring the prediction up to date."""
        self.prediction = self._bike.predict(self.tune and self._held.as_run(self.tune))

    def token(self) -> int:
        """A new token: changes of one setting with the same token are one step of undo (a drag)."""
        return next(self._tokens)

    def change(self, setting: str, value: float | None, token: int | None = None) -> None:
        """Change one setting of the draft, undoably."""
        if self.tune is None or self.tune.setting(setting) == value:
            return
        self._bike.undo_stack.push(
            _Change(self, self.tune, self.tune.with_setting(setting, value), setting, token or self.token())
        )

    def try_change(self, setting: str, value: float | None, token: int | None = None, carry: bool = True) -> None:
        """Change one setting; where another stands in its way (a fade's other end, a neighbour of the curve) that one is carried along if
        ``carry``, and otherwise it stays as it was."""
        if self.tune is None:
            return
        token = token or self.token()
        if self._gesture is None or self._gesture[0] != token:
            self._gesture = (token, self.tune)
        base = self._gesture[1]  # from where the gesture began: what was pushed comes back with the hand
        try:
            tune = base.with_setting(setting, value)
        except ValidationError:
            pair = companions(base, setting, value) if carry and value is not None else {}
            if not pair:
                return
            tune = base.with_settings({setting: value, **pair})
        if tune != self.tune:
            self._bike.undo_stack.push(_Change(self, self.tune, tune, setting, token))

    def try_many(self, values: Mapping[str, float | None], what: str, token: int) -> None:
        """A step of a gesture that moves several settings: always from where it began; what makes no valid tune is passed over."""
        if self.tune is None:
            return
        if self._gesture is None or self._gesture[0] != token:
            self._gesture = (token, self.tune)
        try:
            tune = self._gesture[1].with_settings(values)
        except ValidationError:
            return
        if tune != self.tune:
            self._bike.undo_stack.push(_Change(self, self.tune, tune, what, token))

    def cancel(self, token: int) -> None:
        """Take a gesture back, as if it had never begun."""
        if self._gesture is not None and self._gesture[0] == token and self.tune is not None:
            if self._gesture[1] != self.tune:
                self._bike.undo_stack.push(_Change(self, self.tune, self._gesture[1], "undone", token))
            self._gesture = None

    def change_many(self, values: Mapping[str, float | None], what: str, token: int | None = None) -> None:
        """Change several settings as one step of undo. Raises :class:`pydantic.ValidationError` if they make no valid tune."""
        if self.tune is not None and (tune := self.tune.with_settings(values)) != self.tune:
            self._bike.undo_stack.push(_Change(self, self.tune, tune, what, token or self.token()))

    def open(self, tune: Tune, what: str = "") -> None:
        """Take a whole tune as the draft, undoably."""
        if self.tune is None:
            self.set(tune)
        elif tune != self.tune:
            self._bike.undo_stack.push(_Change(self, self.tune, tune, what or tune.name, self.token()))

    def named(self) -> dict[str, Tune]:
        """The drafts of this bike kept by name."""
        if self._named is None:
            self._named = self._bike.garage.tunes.named(self._bike.id) if self._bike.document is not None else {}
        return self._named

    def keep_named(self, name: str, notes: str) -> None:
        """Keep the draft under a name, with why it is as it is; the draft in hand takes the name."""
        if self.tune is None:
            return
        tune = self.tune.model_copy(update={"name": name, "notes": notes})
        tune = Tune.model_validate(tune.model_dump(mode="json", by_alias=True, exclude_unset=True))
        self._bike.kept(lambda: self._bike.garage.tunes.keep_named(self._bike.id, tune))
        self._named = None
        self.open(tune)
        self._story.log("draft", f"Draft saved: {name}", notes)

    def drop_named(self, name: str) -> None:
        """Let a named draft go, undoably."""
        tune = self.named().get(name)
        if tune is not None:
            self._bike.undo_stack.push(_Dropped(self, tune))

    def set_named(self, tune: Tune, there: bool) -> None:
        """Whether a named draft is kept; called by undo and redo."""
        if there:
            self._bike.kept(lambda: self._bike.garage.tunes.keep_named(self._bike.id, tune))
        else:
            self._bike.kept(lambda: self._bike.garage.tunes.drop_named(self._bike.id, tune.name))
        self._named = None
        self.changed.emit()

    def set(self, tune: Tune) -> None:
        """The draft as it now is; called by undo and redo too."""
        same_pull = self.tune is not None and all(
            getattr(self.tune, group) == getattr(tune, group) for group in SETTING_GROUPS
        )
        self.tune = tune
        if not same_pull or self.prediction is None:  # throttle, assist and modes leave the pull as it is
            self.predict()
        self._keep_soon.start()
        self.changed.emit()

    def keep_what_waits(self) -> None:
        """Write it now, where that was put off."""
        if self._keep_soon.isActive():
            self.keep()

    def keep(self) -> None:
        """Write the draft into the garage; happens by itself shortly after each change. One that came there meanwhile from another bench
        is not lost: it is kept by name."""
        self._keep_soon.stop()
        draft, known, bike_id = self.tune, self._kept, self._bike.id
        if draft is None or draft == known:
            return  # what came meanwhile, if anything, stands

        def write() -> bool:
            aside = self._bike.garage.tunes.replace_draft(bike_id, draft, known)
            if aside is not None:
                self._named = None
                self._bike.said.emit(
                    "warn", f"Another bench changed the draft meanwhile: kept by name as {aside.name}."
                )
            return True

        if self._bike.kept(write):
            self._kept = draft

    @property
    def differing(self) -> list[str]:
        """The settings in which draft and controller differ."""
        if self.tune is None or self._held.tune is None:
            return []
        if self._compared[0] is not self.tune or self._compared[1] is not self._held.tune:
            draft, controller = self.tune, self._held.tune
            self._compared = (draft, controller, draft.differing(controller))
        return self._compared[2]


class _Change(QUndoCommand):
    """One change of the draft; changes with the same token, of one gesture, merge."""

    def __init__(self, draft: Draft, before: Tune, after: Tune, what: str, token: int) -> None:
        super().__init__(what)
        self._draft, self._before, self.after, self.token = draft, before, after, token

    def id(self) -> int:
        return 1

    def mergeWith(self, other: QUndoCommand | None) -> bool:
        if not isinstance(other, _Change) or other.token != self.token:
            return False
        self.after = other.after
        self.setObsolete(self.after == self._before)
        return True

    def redo(self) -> None:
        self._draft.set(self.after)

    def undo(self) -> None:
        self._draft.set(self._before)


class _Dropped(QUndoCommand):
    """A named draft let go."""

    def __init__(self, draft: Draft, tune: Tune) -> None:
        super().__init__(f"draft {tune.name} deleted")
        self._draft, self._tune = draft, tune

    def redo(self) -> None:
        self._draft.set_named(self._tune, False)

    def undo(self) -> None:
        self._draft.set_named(self._tune, True)
