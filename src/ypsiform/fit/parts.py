"""What the steps of building one menu's tree share: its rows, and what is known of each so far."""

from __future__ import annotations

from ..resolve.targets import Targets
from .labels import Labels
from .panel_rows import PanelRows
from .panes import Panes
from .pieces import Pieces
from .spots import Spot
from .tops import Tops
from .work import Fate, Work


class Parts:
    """One menu that is built. `gone`: its rows that do not stay; `spots`: where the others go.

    `whole`: all of its rows stay where they are, and none is of a panel.
    """

    def __init__(self, work: Work, fate: Fate, targets: Targets) -> None:
        self.work, self.fate, self.targets = work, fate, targets
        self.rows = work.rows.of_menu(fate.index)
        self.gone: set[int] = set()
        self.spots: dict[int, Spot] = {}
        self.whole = False
        self.labels = Labels(work, fate, targets.titles)
        self.pieces = Pieces(work, fate, targets, self.labels)
        self.held = PanelRows(work, fate, self.rows, self.gone, self.pieces)
        self.tops = Tops(work, fate, self.rows, self.gone, self.spots)
        self.panes = Panes(work, fate, targets, self.labels, self.spots)
