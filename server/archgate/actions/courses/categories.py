"""The tree of categories that courses are sorted in: made, renamed, moved, merged. Whoever changes it locks the center's row, so
that of two at once the second sees the tree of the first."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import func, select

from archgate.actions.courses.commands import CategoryCommand, CategoryMergeCommand
from archgate.actions.courses.views import CategoriesChanged, CategoryOut
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.core.faults import refuse
from archgate.tables.catalog import Category
from archgate.tables.courses import Center, Course
from archgate.tables.teaching import Qualification

MOST, DEEPEST = 500, 5  # categories in all, and below one another


@dataclass(frozen=True)
class Tree:
    """All categories, read once: by id, and those below each in their order."""

    rows: dict[int, Category]
    below: dict[int | None, list[Category]]

    def above(self, category_id: int | None) -> list[Category]:
        """From the top down to a category, itself the last; empty for none."""
        found: list[Category] = []
        at = self.rows.get(category_id) if category_id else None
        while at is not None and len(found) <= DEEPEST:
            found.insert(0, at)
            at = self.rows.get(at.parent_id) if at.parent_id else None
        return found

    def path(self, category_id: int | None) -> list[str]:
        """The names from the top down to a category; empty for none."""
        return [c.name for c in self.above(category_id)]

    def within(self, category_id: int) -> list[int]:
        """A category and all below it."""
        found = [category_id]
        for number in found:
            found += [c.id for c in self.below.get(number, ())]
        return found

    def in_order(self) -> list[tuple[int, Category]]:
        """Every category with its depth, each right after the one above it."""
        return self._walk(None, 0)

    def _walk(self, parent: int | None, depth: int) -> list[tuple[int, Category]]:
        found: list[tuple[int, Category]] = []
        for row in self.below.get(parent, ()):
            found += [(depth, row), *self._walk(row.id, depth + 1)]
        return found


def tree_of(uow: UnitOfWork) -> Tree:
    rows: Sequence[Category] = uow.session.scalars(
        select(Category).order_by(Category.position, Category.name, Category.id)
    ).all()
    below: dict[int | None, list[Category]] = {}
    for row in rows:
        below.setdefault(row.parent_id, []).append(row)
    return Tree({row.id: row for row in rows}, below)


def listed(uow: UnitOfWork) -> list[CategoryOut]:
    """The tree in its order, with how many courses are filed in each, and how many the public finds there and below."""
    tree = tree_of(uow)
    counts = {
        number: (int(courses), int(public))
        for number, courses, public in uow.session.execute(
            select(Course.category_id, func.count(), func.count(Course.published_n))
            .where(Course.category_id.is_not(None))
            .group_by(Course.category_id)
        )
    }
    return [
        CategoryOut(
            id=row.id,
            parent_id=row.parent_id,
            name=row.name,
            path=tree.path(row.id),
            depth=depth,
            courses=counts.get(row.id, (0, 0))[0],
            public=sum(counts.get(n, (0, 0))[1] for n in tree.within(row.id)),
        )
        for depth, row in tree.in_order()
    ]


def _changed(uow: UnitOfWork, number: int, summary: str) -> CategoriesChanged:
    uow.session.flush()
    change = uow.log(Act.CHANGE_CATEGORIES, 1, summary)
    return CategoriesChanged(change=change.key, id=number, categories=listed(uow))


def _locked(uow: UnitOfWork) -> Tree:
    lock_row(uow, Center, 1)
    uow.session.expire_all()
    return tree_of(uow)


def _refuse_place(tree: Tree, name: str, parent_id: int | None, own: int | None, height: int) -> None:
    """Refuse a category that its parent has already by this name, and one that would stand too deep."""
    if parent_id is not None and parent_id not in tree.rows:
        raise refuse("/parent_id", "There is no such category above.")
    twins = [c for c in tree.below.get(parent_id, ()) if c.id != own and c.name.casefold() == name.casefold()]
    if twins:
        raise refuse("/name", f'There is a category "{twins[0].name}" here already.')
    if len(tree.path(parent_id)) + height > DEEPEST:
        raise refuse("/parent_id", f"Categories stand at most {DEEPEST} deep.")


def make(uow: UnitOfWork, command: CategoryCommand) -> CategoriesChanged:
    """A new category, the last of those beside it."""
    tree = _locked(uow)
    if len(tree.rows) >= MOST:
        raise refuse("/name", f"There are {MOST} categories; more are not kept.")
    _refuse_place(tree, command.name, command.parent_id, None, 1)
    row = new_row(uow, tree, command.name, command.parent_id)
    return _changed(uow, row.id, f"Made the category {command.name}")


def new_row(uow: UnitOfWork, tree: Tree, name: str, parent_id: int | None) -> Category:
    beside = tree.below.get(parent_id, [])
    row = Category(name=name, parent_id=parent_id, position=max((c.position for c in beside), default=0) + 1)
    uow.session.add(row)
    uow.session.flush()
    return row


def change(uow: UnitOfWork, category_id: int, command: CategoryCommand) -> CategoriesChanged:
    """Rename a category, or move it with all below it under another one, or to the top. Who can teach "all of" it still can."""
    tree = _locked(uow)
    row = tree.rows.get(category_id)
    if row is None:
        raise not_found("This category")
    under = tree.within(row.id)
    if command.parent_id in under:
        raise refuse("/parent_id", "A category cannot stand below itself.")
    height = max(len(tree.path(n)) for n in under) - len(tree.path(row.id)) + 1
    _refuse_place(tree, command.name, command.parent_id, row.id, height)
    moved, was = command.parent_id != row.parent_id, row.name
    if moved:
        beside = tree.below.get(command.parent_id, [])
        row.parent_id = command.parent_id
        row.position = max((c.position for c in beside), default=0) + 1
    if command.name != was:
        row.name = command.name
        uow.session.flush()
        _teachers_follow(uow, was, command.name)
    above = " / ".join(tree.path(command.parent_id)) or "the top"
    said = f"Renamed the category {was} to {command.name}" if command.name != was else f"Moved {was}"
    return _changed(uow, row.id, said + (f", below {above}" if moved else ""))


def _teachers_follow(uow: UnitOfWork, was: str, name: str) -> None:
    """What instructors can teach is said by the category's name; where another category still has it, it stays."""
    others = select(func.count()).select_from(Category).where(Category.name == was)
    if uow.session.scalar(others):
        return
    for row in uow.session.scalars(select(Qualification).where(Qualification.category == was)):
        row.category = name


def merge(uow: UnitOfWork, category_id: int, command: CategoryMergeCommand) -> CategoriesChanged:
    """Put all courses and categories of one category into another, and end it."""
    tree = _locked(uow)
    gone, kept = tree.rows.get(category_id), tree.rows.get(command.into_id)
    if gone is None or kept is None:
        raise not_found("This category")
    if kept.id in tree.within(gone.id):
        raise refuse("/into_id", "A category cannot be merged into itself, or into one below it.")
    names = {c.name.casefold() for c in tree.below.get(kept.id, ())}
    twice = [c.name for c in tree.below.get(gone.id, ()) if c.name.casefold() in names]
    if twice:
        raise conflict("twice", f"Both have a category {twice[0]}; merge those first.")
    position = max((c.position for c in tree.below.get(kept.id, ())), default=0)
    for n, row in enumerate(tree.below.get(gone.id, ()), 1):
        row.parent_id, row.position = kept.id, position + n
    for course in uow.session.scalars(select(Course).where(Course.category_id == gone.id)):
        course.category_id = kept.id
    known = set(
        uow.session.scalars(select(Qualification.instructor_id).where(Qualification.category == kept.name))
    )
    for can in uow.session.scalars(select(Qualification).where(Qualification.category == gone.name)):
        if can.instructor_id in known:
            uow.session.delete(can)
        else:
            can.category = kept.name
    uow.session.flush()
    uow.session.delete(gone)
    return _changed(uow, kept.id, f"Merged the category {gone.name} into {kept.name}")


def remove(uow: UnitOfWork, category_id: int) -> CategoriesChanged:
    """Take out a category that nothing is filed in."""
    tree = _locked(uow)
    row = tree.rows.get(category_id)
    if row is None:
        raise not_found("This category")
    if tree.below.get(row.id) or uow.session.scalar(
        select(Course.id).where(Course.category_id == row.id).limit(1)
    ):
        raise conflict("in-use", f"{row.name} is not empty; move what is in it, or merge it.")
    uow.session.delete(row)
    return _changed(uow, row.parent_id or 0, f"Took out the category {row.name}")


def move_up(uow: UnitOfWork, category_id: int) -> CategoriesChanged:
    """One place up among those beside it."""
    tree = _locked(uow)
    row = tree.rows.get(category_id)
    if row is None:
        raise not_found("This category")
    beside = tree.below[row.parent_id]
    at = beside.index(row)
    if at == 0:
        raise conflict("first", f"{row.name} is the first here already.")
    beside[at - 1], beside[at] = beside[at], beside[at - 1]
    for n, one in enumerate(beside, 1):
        one.position = n
    return _changed(uow, row.id, f"Moved the category {row.name} up")


def named(uow: UnitOfWork, name: str) -> int:
    """The category of a name, made at the top where there is none; the first of several."""
    found = uow.session.scalar(
        select(Category.id).where(Category.name == name).order_by(Category.id).limit(1)
    )
    if found is not None:
        return found
    tree = _locked(uow)
    row = next((c for c in tree.rows.values() if c.name.casefold() == name.casefold()), None)
    return (row or new_row(uow, tree, name, None)).id
