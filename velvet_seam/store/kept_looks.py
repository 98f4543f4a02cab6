"""Looks kept by a name, for every shot."""

from __future__ import annotations

from dataclasses import dataclass

from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.shot.look import Look
from velvet_seam.store.folder import new_id
from velvet_seam.store.tables import LookRow, database

MOST = 200


@dataclass(frozen=True)
class KeptLook:
    """A look and what it is called."""

    id: str
    name: str
    look: Look


class KeptLooks:
    """All that were kept, in the order of their names."""

    def all(self) -> list[KeptLook]:
        rows = LookRow.select().order_by(LookRow.name, LookRow.added)
        return [KeptLook(row.id, row.name, Look.model_validate_json(row.look)) for row in rows]

    def get(self, identity: str) -> KeptLook:
        row = LookRow.get_or_none(LookRow.id == identity)
        if row is None:
            raise Gone("That look is no longer kept. Nothing was changed.")
        return KeptLook(row.id, row.name, Look.model_validate_json(row.look))

    def keep(self, name: str, look: Look) -> str:
        """Keep a look; one of the same name is replaced. Answers its id."""
        with database.atomic("IMMEDIATE"):
            held = LookRow.get_or_none(LookRow.name == name)
            if held is not None:
                held.look = look.model_dump_json()
                held.save()
                return str(held.id)
            if LookRow.select().count() >= MOST:
                raise Problem(f"{MOST} looks are kept already. Forget one of them first.")
            return str(LookRow.create(id=new_id("w"), name=name, look=look.model_dump_json()).id)

    def forget(self, identity: str) -> None:
        LookRow.delete().where(LookRow.id == identity).execute()
