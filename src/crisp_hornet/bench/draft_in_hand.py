"""The part of the desk that holds the draft: changed undoably, kept by itself, also under names."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import datetime

from pydantic import ValidationError
from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QUndoCommand

from crisp_hornet.bench.open_ride import OpenRide
from crisp_hornet.bench.prediction import Prediction
from crisp_hornet.core.rules import Warning_
from crisp_hornet.documents.companions import companions
from crisp_hornet.documents.tune import SETTING_GROUPS, Tune


class DraftInHand(OpenRide):
    """Held by the desk, which is one."""

    draft_changed = pyqtSignal()
    draft: Tune | None
    draft_prediction: Prediction | None
    _tokens: Iterator[int]
    _keep_soon: QTimer
    _warnings: list[Warning_] | None
    _gesture: tuple[int, Tune] | None
    _named: dict[str, Tune] | None
    _sent: list[tuple[datetime, Tune]] | None
    _drafted: tuple[Tune | None, Tune | None, list[str]]

    def _predict_draft(self) -> None:
        raise NotImplementedError

    def token(self) -> int:
        """A new token: changes of one setting with the same token are one step of undo (a drag)."""
        return next(self._tokens)

    def change(self, setting: str, value: float | None, token: int | None = None) -> None:
        """Change one setting of the draft, undoably."""
        if self.draft is None or self.draft.setting(setting) == value:
            return
        self.undo_stack.push(
            _Change(self, self.draft, self.draft.with_setting(setting, value), setting, token or self.token())
        )

    def try_change(self, setting: str, value: float | None, token: int | None = None, carry: bool = True) -> None:
        """Change one setting; where another stands in its way (a fade's other end, a neighbour of the curve) that one is carried along if
        ``carry``, and otherwise it stays as it was."""
        if self.draft is None:
            return
        token = token or self.token()
        if self._gesture is None or self._gesture[0] != token:
            self._gesture = (token, self.draft)
        base = self._gesture[1]  # from where the gesture began: what was pushed comes back with the hand
        try:
            tune = base.with_setting(setting, value)
        except ValidationError:
            pair = companions(base, setting, value) if carry and value is not None else {}
            if not pair:
                return
            tune = base.with_settings({setting: value, **pair})
        if tune != self.draft:
            self.undo_stack.push(_Change(self, self.draft, tune, setting, token))

    def cancel(self, token: int) -> None:
        """Take a gesture back, as if it had never begun."""
        if self._gesture is not None and self._gesture[0] == token and self.draft is not None:
            if self._gesture[1] != self.draft:
                self.undo_stack.push(_Change(self, self.draft, self._gesture[1], "taken back", token))
            self._gesture = None

    def change_many(self, values: Mapping[str, float | None], what: str, token: int | None = None) -> None:
        """Change several settings as one step of undo. Raises :class:`pydantic.ValidationError` if they make no valid tune."""
        if self.draft is not None and (tune := self.draft.with_settings(values)) != self.draft:
            self.undo_stack.push(_Change(self, self.draft, tune, what, token or self.token()))

    def open_draft(self, tune: Tune, what: str = "") -> None:
        """Take a whole tune as the draft, undoably."""
        if self.draft is None:
            self.set_draft(tune)
        elif tune != self.draft:
            self.undo_stack.push(_Change(self, self.draft, tune, what or tune.name, self.token()))

    def named_drafts(self) -> dict[str, Tune]:
        """The drafts of this bike kept by name."""
        if self._named is None:
            self._named = self.garage.tunes.named(self.bike_id) if self.bike is not None else {}
        return self._named

    def sent_tunes(self) -> list[tuple[datetime, Tune]]:
        """The tunes that were sent with proof, the newest first."""
        if self._sent is None:
            self._sent = self.garage.tunes.sent(self.bike_id)
        return self._sent

    def keep_named(self, name: str, notes: str) -> None:
        """Keep the draft under a name, with why it is as it is; the draft in hand takes the name."""
        if self.draft is None:
            return
        tune = self.draft.model_copy(update={"name": name, "notes": notes})
        tune = Tune.model_validate(tune.model_dump(mode="json", by_alias=True, exclude_unset=True))
        self.kept(lambda: self.garage.tunes.keep_named(self.bike_id, tune))
        self._named = None
        self.open_draft(tune)
        self.log("draft", f"Draft kept: {name}", notes)

    def drop_named(self, name: str) -> None:
        """Let a named draft go, undoably."""
        tune = self.named_drafts().get(name)
        if tune is not None:
            self.undo_stack.push(_Dropped(self, tune))

    def set_named(self, tune: Tune, there: bool) -> None:
        """Whether a named draft is kept; called by undo and redo."""
        if there:
            self.kept(lambda: self.garage.tunes.keep_named(self.bike_id, tune))
        else:
            self.kept(lambda: self.garage.tunes.drop_named(self.bike_id, tune.name))
        self._named = None
        self.draft_changed.emit()

    def set_draft(self, tune: Tune) -> None:
        """The draft as it now is; called by undo and redo too."""
        same_pull = self.draft is not None and all(
            getattr(self.draft, group) == getattr(tune, group) for group in SETTING_GROUPS
        )
        self.draft = tune
        self._warnings = None
        if not same_pull or self.draft_prediction is None:  # throttle, assist and modes leave the pull as it is
            self._predict_draft()
        self._keep_soon.start()
        self.draft_changed.emit()

    def keep_draft(self) -> None:
        """Write the draft into the garage; happens by itself shortly after each change."""
        self._keep_soon.stop()
        draft, bike_id = self.draft, self.bike_id
        if draft is not None:
            self.kept(lambda: self.garage.tunes.save_draft(bike_id, draft))

    @property
    def drafted(self) -> list[str]:
        """The settings in which draft and controller differ."""
        if self.draft is None or self.controller is None:
            return []
        if self._drafted[0] is not self.draft or self._drafted[1] is not self.controller:
            draft, controller = self.draft, self.controller
            self._drafted = (draft, controller, draft.differing(controller))
        return self._drafted[2]


class _Change(QUndoCommand):
    """One change of the draft; changes with the same token, of one gesture, merge."""

    def __init__(self, desk: DraftInHand, before: Tune, after: Tune, what: str, token: int) -> None:
        super().__init__(what)
        self._desk, self._before, self._after, self._token = desk, before, after, token

    def id(self) -> int:
        return 1

    def mergeWith(self, other: QUndoCommand | None) -> bool:
        if not isinstance(other, _Change) or other._token != self._token:
            return False
        self._after = other._after
        self.setObsolete(self._after == self._before)
        return True

    def redo(self) -> None:
        self._desk.set_draft(self._after)

    def undo(self) -> None:
        self._desk.set_draft(self._before)


class _Dropped(QUndoCommand):
    """A named draft let go."""

    def __init__(self, desk: DraftInHand, tune: Tune) -> None:
        super().__init__(f"draft {tune.name} let go")
        self._desk, self._tune = desk, tune

    def redo(self) -> None:
        self._desk.set_named(self._tune, False)

    def undo(self) -> None:
        self._desk.set_named(self._tune, True)
