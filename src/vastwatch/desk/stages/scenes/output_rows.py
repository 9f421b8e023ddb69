"""The rows of an output that is no lamp, as a ladder shows them: they are told apart by their number."""

from __future__ import annotations

from vastwatch.control.evaluation import evaluate_expr
from vastwatch.control.house import HouseRun
from vastwatch.control.ladder import winners
from vastwatch.design.project import Project
from vastwatch.design.records import GuardedOutput
from vastwatch.design.sentence import condition_words
from vastwatch.desk.stages.scenes.ladder_view import ShownRow


def row_ident(output: GuardedOutput, k: int) -> str:
    """How a row of an output is called while it is in hand: ids have no such sign."""
    return f"{output.id}#{k}"


def row_number(ident: str | None, output: GuardedOutput) -> int | None:
    """The number of the row of an output that is called so; None for one of something else, or that is gone."""
    of, _, number = (ident or "").partition("#")
    if of != output.id or not number.isdigit() or int(number) >= len(output.rows):
        return None
    return int(number)


def output_rows(project: Project, house: HouseRun | None, output: GuardedOutput, t: float) -> list[ShownRow]:
    """An output's rows with their shares of the simulated time, and the one that wins at an instant."""
    same = house is not None and any(o is output for o in house.project.outputs)
    won = share = None
    if house is not None and same and output.rows:
        said = [
            evaluate_expr(house.project, r.when, house.recording, dependencies=house.conclusions.presences)
            for r in output.rows
        ]
        found = winners(said, 0.0, house.end)
        won, share = found.at(t), found.share(len(said))
    out = []
    for k, r in enumerate(output.rows):
        asks = "off" if r.level == 0 else f"level {100 * r.level:.0f} %"
        name = r.name or condition_words(project, r.when)
        out.append(ShownRow(row_ident(output, k), name, asks, None if share is None else float(share[k]), won == k))
    if output.rows:
        n = len(output.rows)
        out.append(ShownRow(None, "Else", "off", None if share is None else float(share[n]), won == n))
    return out
