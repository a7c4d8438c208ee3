"""Drafts: kept by name with why, and the plan of steps from what runs to the draft."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QLineEdit, QTextEdit, QVBoxLayout, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.stations.tune.view import TuneView
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import row_of
from crisp_hornet.bench.widgets.text import button, clear, label, sheet, two_columns
from crisp_hornet.core.tunes.step_plan import Step, step_plan
from crisp_hornet.documents.saying import say
from crisp_hornet.documents.setting_words import in_words, label_of
from crisp_hornet.documents.tune import SETTINGS, Tune


class DraftsView(TuneView):
    """Left the kept drafts, right the steps."""

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        self.name = QLineEdit()
        self.name.setAccessibleName(tr("name of the draft"))
        self.notes = QTextEdit()
        self.notes.setAccessibleName(tr("why the draft is as it is"))
        self.notes.setAcceptRichText(False)
        self.notes.setTabChangesFocus(True)
        fix(self.notes, high=90)
        self._kept, self._plan = QVBoxLayout(), QVBoxLayout()
        left, right = QVBoxLayout(), QVBoxLayout()
        for one in (left, right, self._kept, self._plan):
            one.setSpacing(6)
        left.addWidget(label("CURRENT DRAFT", "caps"))
        left.addWidget(Captioned("name", self.name, above=True))
        left.addWidget(Captioned("why the draft is as it is", self.notes, above=True))
        left.addWidget(button("Save the draft", self.keep, "small", "Save the draft"))
        left.addSpacing(8)
        left.addWidget(label("SAVED DRAFTS", "caps"))
        left.addLayout(self._kept)
        left.addStretch(1)
        right.addWidget(label("START LOW, STEP UP", "caps"))
        right.addWidget(
            label("From what is on the controller to the draft, one thing proved before the next.", "quiet", wrap=True)
        )
        right.addLayout(self._plan)
        right.addStretch(1)
        two_columns(self, left, right)
        self._of: object = None

    def keep(self) -> None:
        """Keep the draft under the name in the field."""
        name = self.name.text().strip()
        if not name or len(name) > 200:
            self.desk.said.emit("note", "Give the draft a name of up to 200 characters.")
            return
        self.desk.draft.keep_named(name, self.notes.toPlainText().strip()[:4000])
        self.desk.said.emit("settled", f"Saved: {name}.")

    def open(self, name: str) -> None:
        """Take a kept draft in hand; undoable."""
        self.desk.draft.open(self.desk.draft.named()[name])

    def take_step(self, step: Step) -> None:
        """Take a step of the plan in hand. The goal is kept by name first, so that the plan can be gone on with."""
        draft = self.desk.draft.tune
        if draft is None:
            return
        if step.tune != draft and draft.name not in self.desk.draft.named():
            self.desk.draft.keep_named(draft.name, draft.notes)
        self.desk.draft.open(step.tune)
        self.desk.log("draft", f"Step loaded as draft: {step.tune.name}", " ".join(step.checks))

    # --- showing it -----------------------------------------------------------------------------------------

    def refresh(self) -> None:
        draft, now = self.desk.draft.tune, self.desk.held.tune
        drafts = self.desk.draft.named()
        if draft is None or self._of == (draft, now, drafts, self.desk.units):
            return
        self._of = (draft, now, drafts, self.desk.units)
        if not self.name.hasFocus():
            self.name.setText(draft.name)
        if not self.notes.hasFocus():
            self.notes.setPlainText(draft.notes)
        clear(self._kept)
        for name, tune in drafts.items():
            self._kept.addWidget(self._card(name, tune, draft))
        if not drafts:
            self._kept.addWidget(label("None saved yet. Save one before you try something else.", "quiet", wrap=True))
        self._show_plan(now, draft)

    def _card(self, name: str, tune: Tune, draft: Tune) -> QWidget:
        differing = draft.differing(tune)
        words = "same as the draft" if not differing else self._told(tune, differing)
        acts = QWidget()
        row = row_of(acts, margins=0)
        row.addWidget(button("Load as draft", partial(self.open, name), "small", f"Load {name} as draft"))
        row.addWidget(button("Delete draft", partial(self.desk.draft.drop_named, name), "small", f"Delete {name}"))
        row.addStretch(1)
        lines = [label(name), label(words, "quiet", wrap=True)]
        if tune.notes:
            lines.append(label(tune.notes, "quiet", wrap=True, own=True))
        return sheet(*lines, acts, margin=8, spacing=2)

    def _told(self, tune: Tune, paths: list[str]) -> str:
        limits = [
            say("{what} {value}", what=label_of(path), value=in_words(path, tune.setting(path)))
            for path in paths
            if path in SETTINGS
        ]
        further = dict.fromkeys(path.partition(".")[0] for path in paths if path not in SETTINGS)
        return ", ".join(self.desk.units.text(one) for one in [*limits, *(f"the {group}" for group in further)])

    def _show_plan(self, now: Tune | None, draft: Tune) -> None:
        clear(self._plan)
        if now is None:
            self._plan.addWidget(
                label("What is on the controller is not known yet: hook up first.", "quiet", wrap=True)
            )
            return
        steps = step_plan(now, draft, self.desk.bike)
        if not steps:
            self._plan.addWidget(label("The draft is what is on the controller.", "quiet", wrap=True))
        before = now
        for at, step in enumerate(steps, start=1):
            words = self._told(step.tune, before.differing(step.tune)) or "the rest"
            lines = [label(f"{at}. {words}", wrap=True)]
            lines += [label(self.desk.units.text(check), "quiet", wrap=True) for check in step.checks]
            self._plan.addWidget(sheet(*lines, self._act(at, len(steps), step), margin=8, spacing=2))
            before = step.tune

    def _act(self, at: int, count: int, step: Step) -> QWidget:
        if at == count:
            return label("the draft itself", "quiet")
        return button("Load this step as draft", partial(self.take_step, step), "small", f"Load step {at} as draft")

    def meaning(self) -> tuple[str, str] | None:
        return (
            "ONE THING AT A TIME",
            "A step is sent like any draft, tried on stand, open space and road, and only then the next one is taken.",
        )
