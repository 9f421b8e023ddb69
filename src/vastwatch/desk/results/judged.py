"""What the judge says: heard wherever it was asked, and asked of every room of the house once nothing else is."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer

from vastwatch.advice.judging.all_rooms import judge_all, judged_by_default
from vastwatch.advice.judging.judge import Judgement
from vastwatch.design.project import Project
from vastwatch.desk.results.adviser import OPTIONS
from vastwatch.desk.results.derived import Task
from vastwatch.desk.results.findings import FINDINGS
from vastwatch.desk.results.registry import Kind, Results
from vastwatch.desk.results.timing import SETTLED

# When the design has rested for so long, milliseconds, and nothing else asks the judge, every room is judged.
REST_MS = 1500


def _judge_all(task: Task, project: Project, results: Results) -> dict[str, Judgement]:
    # What is said of the room in hand is shown at once, what is said of the others all together.
    return judge_all(
        project, results.focus.room, task.should_continue,
        lambda known: task.show(known) if len(known) == 1 else None,
    )  # fmt: skip


def _of_house(results: Results, _: object) -> tuple[Project, Results] | None:
    project = results.document.project
    return (project, results) if judged_by_default(project) else None


HOUSE_JUDGED = Kind("judgements", _of_house, _judge_all, judging=True, idle=True)


class HouseJudge(QObject):
    """What the judge says of a room counts for the findings as well, while the design is the same."""

    def __init__(self, results: Results) -> None:
        super().__init__(results)
        self.results = results
        self.house = results[HOUSE_JUDGED]
        self._asked = (results[SETTLED], results[OPTIONS])
        self.house.changed.connect(self._hear)
        for derived in self._asked:
            derived.changed.connect(self._hear)
            derived.changed.connect(self._give_way)
        self.rest = QTimer(self)
        self.rest.setSingleShot(True)
        self.rest.setInterval(REST_MS)
        self.rest.timeout.connect(self._judge_the_house)
        self.rest.start()
        results.document.replaced.connect(self.rest.start)
        results.document.changed.connect(self._changed)

    def _changed(self, *_: object) -> None:
        self.house.spoil()
        self.rest.start()

    def _hear(self) -> None:
        results, (settled, options) = self.results, self._asked
        said: list[tuple[object, Judgement | None]] = []
        if settled.value is not None and settled.of is not None and settled.state == "fresh":
            said.append((settled.of[0], settled.value.judged))
        if options.value is not None and options.of is not None and options.state == "fresh":
            said.append((options.of[0], options.value.now))
        if self.house.value is not None and self.house.of is not None:
            said += [(self.house.of[0], j) for j in self.house.value.values()]
        new = results.know(*(j for of, j in said if j is not None and of is results.document.project))
        if new and not results.stopped and not results.hand_moves:
            results[FINDINGS].check()

    def _judge_the_house(self) -> None:
        if not self.results.stopped and self.results.rehearsal is not None and not self.results.busy():
            self.house.check()
        elif not self.results.stopped:
            self.rest.start()

    def _give_way(self) -> None:
        """Anybody who asks the judge now waits for no other room; those are judged afterwards."""
        if self.house.busy and any(derived.busy for derived in self._asked):
            self.house.spoil()
            self.rest.start()
