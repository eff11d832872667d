"""Values that a product is to hold from a day on: they wait for it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import date

from sqlmodel import Session, col, select

from nomotax.core.changes.states import TAKEN_OUT
from nomotax.core.errors import Conflict
from nomotax.records.actors import at_work
from nomotax.records.products import DatedValue, Product
from nomotax.records.repository import Repository, known_id
from nomotax.records.tables import Run

_GONE = "the product is not in the catalog"


class DatedValues(Repository):
    of, what = DatedValue, "dated value"

    def wait(self, product_id: int, values: Mapping[str, str | None], day: date) -> None:
        """Have fields of a product hold other values from a day on, in place of what waits for
        the same field and day."""
        earlier = select(DatedValue).where(
            DatedValue.store_id == self.store_id,
            DatedValue.product_id == product_id,
            DatedValue.day == day,
            DatedValue.status == "waiting",
            col(DatedValue.field).in_(list(values)),
        )
        for one in self.session.exec(earlier):
            one.status = "replaced"
            self.session.add(one)
        by = at_work(self.session)
        self.session.add_all(
            DatedValue(
                store_id=self.store_id,
                product_id=product_id,
                field=field,
                value=value,
                day=day,
                actor=by,
            )
            for field, value in values.items()
        )
        self.session.flush()

    def take_back(self, key: int) -> DatedValue:
        """One does not wait any more. Raises ``NotFound``, and ``Conflict`` where it does not wait,
        or its run is under way."""
        query = select(DatedValue).where(DatedValue.id == key).with_for_update(of=DatedValue)
        self._get(DatedValue, key, self.what)
        one = self.session.exec(query.execution_options(populate_existing=True)).one()
        under_way = one.status == "waiting" and one.run_id is not None and self._busy(one.run_id)
        if one.status not in ("waiting", "refused") or under_way:
            said = f"run {one.run_id} is writing it" if under_way else f"it is {one.status}"
            raise Conflict(f"This value does not wait any more: {said}.")
        one.status = "taken back"
        return self._add(one)

    def _busy(self, run_id: int) -> bool:
        run = self.session.get(Run, run_id)
        return run is not None and run.status not in ("failed", "stopped")

    def waiting(self, product_id: int | None = None) -> list[tuple[DatedValue, Product]]:
        """Those that wait for their day, and those that could not be written on it, by their
        days; of one product or of all."""
        query = (
            select(DatedValue, Product)
            .join(Product, col(Product.id) == col(DatedValue.product_id))
            .where(
                DatedValue.store_id == self.store_id,
                col(DatedValue.status).in_(["waiting", "refused"]),
            )
            .order_by(col(DatedValue.day), col(DatedValue.id))
        )
        if product_id is not None:
            query = query.where(DatedValue.product_id == product_id)
        return list(self.session.exec(query))

    def of_run(self, run_id: int) -> list[tuple[DatedValue, str | None]]:
        """Those that a run is to write, each with its product's key; None where that is not in the
        catalog."""
        query = (
            select(DatedValue, Product.key, Product.state)
            .join(Product, col(Product.id) == col(DatedValue.product_id), isouter=True)
            .where(DatedValue.store_id == self.store_id, DatedValue.run_id == run_id)
            .order_by(col(DatedValue.id))
        )
        rows = self.session.exec(query)
        return [(one, key if state != TAKEN_OUT else None) for one, key, state in rows]

    def settle(self, run_id: int, refused: Mapping[tuple[str, str], str]) -> None:
        """The run has written its values, but for those ``refused``, by key and field, each with
        the reason."""
        values = sorted(self.of_run(run_id), key=lambda pair: (pair[0].day, known_id(pair[0])))
        last = {(one.product_id, one.field): one for one, _ in values}
        for one, key in values:
            said = refused.get((key, one.field)) if key is not None else _GONE
            one.status, one.reason = ("refused", said) if said else ("written", "")
            if last[one.product_id, one.field] is not one:
                one.status, one.reason = "replaced", ""
            self.session.add(one)


def take_due(db: Session, today: date) -> dict[int, list[DatedValue]]:
    """Values whose day has come and that no run has taken up, by store. Nobody else takes them
    until this transaction ends."""
    query = (
        select(DatedValue)
        .where(
            DatedValue.status == "waiting",
            col(DatedValue.run_id).is_(None),
            col(DatedValue.day) <= today,
        )
        .order_by(col(DatedValue.id))
        .with_for_update(skip_locked=True, of=DatedValue)
    )
    found: dict[int, list[DatedValue]] = {}
    for one in db.exec(query):
        found.setdefault(one.store_id, []).append(one)
    return found


def hand_over(db: Session, values: Iterable[DatedValue], run_id: int) -> None:
    """Values are a run's from here on."""
    for one in values:
        one.run_id = run_id
        db.add(one)
