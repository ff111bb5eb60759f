"""What is to be done, one line a plant: by place, from the cleanest to the most infested."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from brood.services.today.day_tasks import Task
from brood.store.place_tables import Place

ORDER = ("season", "neighbour", "quarantine", "patch", "care", "card", "look", "treat")
"""From clean plants to infested ones, so that hands carry nothing back."""


@dataclass(frozen=True)
class PlantLine:
    """All that is to be done on one plant, or on one walk past several, in its order."""

    tasks: tuple[Task, ...]

    @property
    def first(self) -> Task:
        """What is done first."""
        return self.tasks[0]

    @property
    def place(self) -> Place | None:
        """Where it stands."""
        return self.first.place

    @property
    def title(self) -> str:
        """The plant, or what the walk is."""
        return self.first.title

    @property
    def plants(self) -> int:
        """How many plants it is."""
        return max(task.plants for task in self.tasks)

    @property
    def treats(self) -> bool:
        """Whether one of its tasks is a treatment."""
        return any(task.kind == "treat" for task in self.tasks)

    @property
    def rank(self) -> int:
        """How infested it is, by the last thing to be done."""
        return max(ORDER.index(task.kind) for task in self.tasks)


def lines(tasks: Sequence[Task]) -> tuple[PlantLine, ...]:
    """The tasks of a day by plant. A walk past several plants is a line of its own."""
    groups: dict[tuple[int, str], list[Task]] = {}
    for task in sorted(tasks, key=lambda t: (ORDER.index(t.kind), t.due_on)):
        groups.setdefault((0 if task.name else task.plant.id, task.name and task.key), []).append(
            task
        )
    return tuple(
        sorted((PlantLine(tuple(some)) for some in groups.values()), key=lambda one: one.rank)
    )


def by_place(
    found: Sequence[PlantLine],
) -> tuple[tuple[Place | None, tuple[PlantLine, ...]], ...]:
    """Lines by place. Places with nothing infested come first."""
    places = {one.place.id if one.place else 0: one.place for one in found}
    grouped = [
        (place, tuple(one for one in found if (one.place.id if one.place else 0) == key))
        for key, place in places.items()
    ]
    return tuple(
        sorted(grouped, key=lambda g: (max(one.rank for one in g[1]), g[0].name if g[0] else ""))
    )
