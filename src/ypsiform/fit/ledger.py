"""The ledger of a job: every loss that was found, with the facts that each accounts for.

A fact is accounted for once. Where a later decision takes up what an earlier loss was about, such
as a menu that is left out with all its places, the entry is withdrawn or told as a notice; where it
is the reason for one more change, that fact is entered under it. Nothing else rewrites what was
found.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from ..findings import Cover, Finding, Severity


class Ledger:
    """Losses in the order in which they were found, and notices, which account for nothing."""

    def __init__(self) -> None:
        self.notices: list[Finding] = []
        self._losses: dict[int, Finding] = {}
        # Losses by the first row of each thing that they account for: see `about`.
        self._by_row: dict[tuple[int, str, int], list[Finding]] = {}

    @property
    def losses(self) -> list[Finding]:
        """All losses that stand."""
        return [*self._losses.values()]

    def of(self, *codes: str) -> list[Finding]:
        """The losses of some codes."""
        return [loss for loss in self._losses.values() if loss.code in codes]

    def about(self, side: int, scope: str, rows: Sequence[int]) -> list[Finding]:
        """The losses that account for a fact of exactly these rows of a scope."""
        found = {
            id(loss): loss
            for loss in self._by_row.get((side, scope, rows[0]), ())
            if id(loss) in self._losses
            and any((c.side, c.scope, c.numbers) == (side, scope, rows) for c in loss.covers)
        }
        return [*found.values()]

    def enter(self, loss: Finding) -> None:
        """Put down a loss."""
        self._losses[id(loss)] = loss
        self._note(loss, loss.covers)

    def cover(self, loss: Finding, *covers: Cover) -> None:
        """Put further facts down under a loss, which is the reason for what became of them."""
        loss.covers.extend(covers)
        self._note(loss, covers)

    def uncover(self, loss: Finding, side: int, rows: Iterable[int]) -> list[int]:
        """Take items of one side out of what a loss accounts for, since they stay after all.

        Returns those that are left of the ones beside them; a loss of nothing is withdrawn.
        """
        gone, left = set(rows), list[int]()
        for at, cover in enumerate(loss.covers):
            mine = cover.side == side and cover.scope == "item"
            if mine and not gone.isdisjoint(cover.numbers):
                left = [row for row in cover.numbers if row not in gone]
                loss.covers[at] = cover._replace(numbers=tuple(left))
        if not any(len(cover.numbers) for cover in loss.covers):
            self.withdraw(loss)
        return left

    def withdraw(self, *losses: Finding) -> None:
        """Take losses out: what they were about is accounted for elsewhere."""
        for loss in losses:
            self._losses.pop(id(loss), None)

    def tell(self, *losses: Finding) -> None:
        """Make notices of losses: what they say is true, and their facts stand under another."""
        self.withdraw(*losses)
        for loss in losses:
            loss.outcome, loss.covers = None, []
            self.notices.append(loss)

    def weigh(self, loss: Finding, severity: Severity) -> None:
        """Say how much a loss matters, once that is known."""
        loss.severity = severity

    def _note(self, loss: Finding, covers: Iterable[Cover]) -> None:
        for cover in covers:
            if len(cover.numbers):
                key = (cover.side, cover.scope, cover.numbers[0])
                self._by_row.setdefault(key, []).append(loss)
