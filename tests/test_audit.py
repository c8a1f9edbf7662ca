"""The audit must notice: each test damages something and sees the conversion refused."""

from __future__ import annotations

from collections.abc import Callable
from itertools import permutations
from pathlib import Path
from typing import Any

import pytest

from ypsiform import fit as fitting
from ypsiform import migrate
from ypsiform.cli import main as program
from ypsiform.demo import DATA
from ypsiform.errors import AuditError
from ypsiform.findings import Cover
from ypsiform.order import out_of_order
from ypsiform.profiles import write as writing
from ypsiform.proof import Migration

OLD = (DATA / "old.xml").read_bytes()
NEW = (DATA / "new.json").read_bytes()


def demo() -> Migration:
    return migrate.convert(OLD, "old.xml", "stallmere/plain", into=(NEW, "new.json"))


def losing(code: str) -> Callable[[Any], None]:
    def damage(fitted: Any) -> None:
        fitted.losses[:] = [loss for loss in fitted.losses if loss.code != code]

    return damage


def _twice(fitted: Any) -> None:
    fitted.losses.append(fitted.losses[-1])


def _unfounded(fitted: Any) -> None:
    fitted.losses[0].covers.append(Cover(0, "item", (0,), "item"))


def _item(change: Callable[[Any], None]) -> Callable[[Any], None]:
    def damage(fitted: Any) -> None:
        change(fitted.menus[0].made.items[0])

    return damage


def _swap(fitted: Any) -> None:
    items = fitted.menus[0].made.items
    items[0], items[1] = items[1], items[0]


def _drop(fitted: Any) -> None:
    fitted.menus[0].made.items.pop()


def _invent(fitted: Any) -> None:
    items = fitted.menus[0].made.items
    items.append(type(items[0])(id="x", label="Invented", target=items[0].target))


DAMAGE = [
    *[(code, losing(code), "no finding says so") for code in (
        "depth.lifted", "label.cut", "label.frozen", "label.language", "link.unresolved",
        "trait.window", "read.extra", "place.not-offered", "access.not-held", "access.switched-off",
        "menu.not-asked", "menu.replaced", "menu.renamed", "panel.not-held", "kind.divider",
        "kind.stand-in", "link.state",
    )],
    ("said twice", _twice, "a second time"),
    ("unfounded", _unfounded, "which was kept"),
    ("label", _item(lambda item: setattr(item, "label", "Other")), "label of item 0"),
    ("role", _item(lambda item: item.children.clear()), "no finding says so"),
    ("order", _swap, "order of item"),
    ("dropped", _drop, "was dropped"),
    ("invented", _invent, "comes from nowhere"),
]  # fmt: skip


@pytest.mark.parametrize(("damage", "words"), [d[1:] for d in DAMAGE], ids=[d[0] for d in DAMAGE])
def test_the_audit_notices(
    monkeypatch: pytest.MonkeyPatch, damage: Callable[[Any], None], words: str
) -> None:
    assert demo().audited.problems == []
    real = fitting.fit

    def fit(work: Any) -> Any:
        fitted = real(work)
        damage(fitted)
        return fitted

    monkeypatch.setattr(migrate, "fit", fit)
    with pytest.raises(AuditError) as caught:
        demo()
    assert any(words in problem for problem in caught.value.problems)


def test_a_damaged_file_is_noticed(monkeypatch: pytest.MonkeyPatch) -> None:
    real = writing.tree_of

    def tree_of(*arguments: Any) -> Any:
        made = real(*arguments)
        tree = made.tree
        tree["trees"][0]["entries"][0]["link"] = {"what": "page", "key": "fares"}
        return made

    monkeypatch.setattr(migrate, "tree_of", tree_of)
    with pytest.raises(AuditError) as caught:
        demo()
    assert caught.value.problems[0] == (
        "target of item 0 of the source is altered, and no finding says so"
    )
    assert caught.value.problems[1].startswith("“Sailings” leads to ")


def test_a_broken_limit_is_noticed(monkeypatch: pytest.MonkeyPatch) -> None:
    from ypsiform.fit import labels

    monkeypatch.setattr(labels, "cut", lambda label, longest: label)
    with pytest.raises(AuditError) as caught:
        demo()
    assert any("longer than 40" in problem for problem in caught.value.problems)


def test_a_fault_ends_with_4_and_keeps_no_output(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    real = fitting.fit

    def fit(work: Any) -> Any:
        fitted = real(work)
        losing("depth.lifted")(fitted)
        return fitted

    monkeypatch.setattr(migrate, "fit", fit)
    (tmp_path / "old.xml").write_bytes(OLD)
    out, old = str(tmp_path / "out"), str(tmp_path / "old.xml")
    with pytest.raises(SystemExit) as stopped:
        program.main(["convert", old, "--to", "stallmere/plain", "-o", out])
    assert stopped.value.code == 4
    assert "fault of Ypsiform" in capsys.readouterr().err
    assert [path.name for path in tmp_path.iterdir()] == ["old.xml"]


def test_order_keeps_a_longest_sequence() -> None:
    for length in range(7):
        for positions in permutations(range(length)):
            out = out_of_order(list(positions))
            stay = [value for at, value in enumerate(positions) if at not in out]
            assert stay == sorted(stay)
            longest = max(
                (
                    len(chosen)
                    for mask in range(1 << length)
                    if (chosen := [p for at, p in enumerate(positions) if mask >> at & 1])
                    == sorted(chosen)
                ),
                default=0,
            )
            assert len(stay) == longest
