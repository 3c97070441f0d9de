"""Keys that hold the kitchen: the database itself refuses a row that joins two kitchens."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import ValidationError
from django.db import IntegrityError, models
from django.db.backends.base.schema import BaseDatabaseSchemaEditor
from django.db.backends.ddl_references import Statement, Table


class SameKitchen(models.BaseConstraint):
    """A foreign key on (kitchen, ``field``), so that a row can only refer to rows of its own kitchen.

    The model it refers to needs a unique constraint on (kitchen, id), see :class:`KitchenKey`.
    """

    def __init__(self, *, field: str, name: str, violation_error_message: str | None = None) -> None:
        self.field = field
        super().__init__(
            name=name, violation_error_message=violation_error_message or f"{field} belongs to another kitchen."
        )

    def _clause(self, model: type[models.Model], editor: BaseDatabaseSchemaEditor) -> str:
        field = model._meta.get_field(self.field)
        target: Any = field.related_model
        quote = editor.quote_name
        return (
            f"CONSTRAINT {quote(self.name)} FOREIGN KEY ({quote('kitchen_id')}, {quote(str(field.column))})"  # type: ignore[union-attr]
            f" REFERENCES {quote(target._meta.db_table)} ({quote('kitchen_id')}, {quote(str(target._meta.pk.column))})"
            " DEFERRABLE INITIALLY DEFERRED"
        )

    def constraint_sql(self, model: Any, schema_editor: Any) -> None:  # type: ignore[override]
        """Not within CREATE TABLE: the other table may not be there yet."""
        schema_editor.deferred_sql.append(self.create_sql(model, schema_editor))

    def create_sql(self, model: Any, schema_editor: Any) -> Statement:  # type: ignore[override]  # as Django's own do
        """The statement that adds it."""
        return Statement(
            "ALTER TABLE %(table)s ADD " + self._clause(model, schema_editor).replace("%", "%%"),
            table=Table(model._meta.db_table, schema_editor.quote_name),
        )

    def remove_sql(self, model: Any, schema_editor: Any) -> Statement:  # type: ignore[override]  # as above
        """The statement that takes it away."""
        return Statement(
            f"ALTER TABLE %(table)s DROP CONSTRAINT {schema_editor.quote_name(self.name)}",
            table=Table(model._meta.db_table, schema_editor.quote_name),
        )

    def validate(self, model: Any, instance: Any, exclude: Any = None, using: str = "default") -> None:
        """Refuse a row whose other one is of another kitchen, before the database does."""
        other = getattr(instance, self.field, None)
        if other is not None and other.kitchen_id != instance.kitchen_id:
            raise ValidationError(self.get_violation_error_message())

    def __eq__(self, other: object) -> bool:
        return isinstance(other, SameKitchen) and (self.name, self.field) == (other.name, other.field)

    def __hash__(self) -> int:
        return hash((self.name, self.field))

    def deconstruct(self) -> tuple[str, tuple[Any, ...], dict[str, Any]]:
        """For migrations."""
        path, args, kwargs = super().deconstruct()
        kwargs.pop("violation_error_message", None)
        return path, tuple(args), kwargs | {"field": self.field}


class KitchenKey(models.UniqueConstraint):
    """What a model needs that others refer to: its rows are found by kitchen and id."""

    def __init__(self, *, name: str, fields: Any = ("kitchen", "id"), **kwargs: Any) -> None:
        super().__init__(fields=fields, name=name, **kwargs)


def constraint_of(error: IntegrityError) -> str:
    """The name of the constraint that the database says was broken; empty when it does not say."""
    diagnosis = getattr(error.__cause__, "diag", None)
    return str(getattr(diagnosis, "constraint_name", None) or "")
