"""A store's schema, edited by hand: fields changed, added, retired."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, ValidationError

from nomotax.core.errors import Conflict, SchemaError
from nomotax.core.schema.model import StoreField, StoreSchema

#: What may be edited of a field that is there. The rest says what its values mean: another unit or
#: currency would make other values of those that products hold.
EDITABLE = (
    "title", "description", "group", "required", "unique", "max_length", "pattern", "allowed",
    "minimum", "maximum", "synonyms", "writes", "starts", "ends",
)  # fmt: skip
#: Of these, what a value has to fulfil, and when it may be written.
_DEMANDS = ("required", "unique", "max_length", "pattern", "allowed", "minimum", "maximum",
            "writes", "starts", "ends")  # fmt: skip


class FieldEdit(BaseModel):
    """A field as it ``was`` and as it shall be: a new one has no ``was``, a retired one no
    ``field``. ``before`` names the field that a new one stands before; else it is the last."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    was: StoreField | None = None
    field: StoreField | None = None
    before: str = ""

    @property
    def name(self) -> str:
        """The field that it is about."""
        one = self.field or self.was
        return one.name if one else ""

    @property
    def demands_more(self) -> bool:
        """Whether it is about more than words: values may become right or wrong by it."""
        if self.was is None or self.field is None:
            return True
        return any(getattr(self.was, name) != getattr(self.field, name) for name in _DEMANDS)

    def said(self) -> str:
        """The edit in words, for the history."""
        if self.was is None:
            return "added"
        if self.field is None:
            return "retired"
        changed = [n for n in EDITABLE if getattr(self.was, n) != getattr(self.field, n)]
        return "; ".join(
            f"{name.replace('_', ' ')}: {_said(getattr(self.was, name))} -> "
            f"{_said(getattr(self.field, name))}"
            for name in changed
        )


def _said(value: object) -> str:
    if isinstance(value, tuple):
        return ", ".join(map(str, value)) or "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    return "none" if value in (None, "") else str(value)


def edited(schema: StoreSchema, edit: FieldEdit) -> StoreSchema:
    """The schema after an edit.

    Raises ``Conflict`` where the field is not as the edit says it was, ``SchemaError`` for an edit
    that would make other values of those that products hold, or a schema that is none.
    """
    fields = list(schema.fields)
    if edit.was is None and edit.field is None:
        raise SchemaError("The edit changes nothing.")
    if edit.was is None and edit.field is not None:
        if edit.field.name in schema:
            raise Conflict(f"There is a field '{edit.field.name}' already.")
        at = schema.names.index(edit.before) if edit.before in schema else len(fields)
        fields.insert(at, edit.field)
    elif edit.was is not None:
        at = _found(schema, edit.was)
        fields[at : at + 1] = [_changed(edit.was, edit.field)] if edit.field else []
        if edit.field is None:
            _may_retire(schema, edit.was)
    try:
        return StoreSchema(**{**dict(schema), "fields": tuple(fields)})
    except ValidationError as error:
        said = str(error.errors()[0]["msg"]).removeprefix("Value error, ")
        raise SchemaError(f"The schema cannot be so: {said}.") from error


def _found(schema: StoreSchema, was: StoreField) -> int:
    if was.name not in schema or schema[was.name] != was:
        raise Conflict(
            f"The field '{was.name}' was changed elsewhere in the meantime.",
            remedy="Load the schema again; your change was not kept.",
        )
    return schema.names.index(was.name)


def _changed(was: StoreField, field: StoreField) -> StoreField:
    fixed = [n for n in StoreField.model_fields if n not in EDITABLE]
    other = [n for n in fixed if getattr(was, n) != getattr(field, n)]
    if other:
        raise SchemaError(
            f"The {other[0]} of a field cannot change: its products' values would mean another "
            "thing.",
            where=f"field {was.name}",
            remedy="Retire this field, and add another.",
        )
    return field


def _may_retire(schema: StoreSchema, field: StoreField) -> None:
    if field.name == schema.key:
        raise SchemaError(f"'{field.label}' is what products are known by; it cannot be retired.")
    dated = [f.label for f in schema.fields if field.name in (f.starts, f.ends)]
    if dated:
        raise SchemaError(
            f"'{dated[0]}' holds by the days in '{field.label}'.",
            remedy="Let that field hold by another one first, or by none.",
        )
    describing = [f.label for f in schema.fields if f.of == field.name]
    if describing:
        raise SchemaError(
            f"'{describing[0]}' describes '{field.label}'.",
            remedy="Retire that field first.",
        )


def with_words(field: StoreField, words: list[str]) -> StoreField:
    """A field with more words in its list, each once. Raises ``SchemaError`` for a field without
    a list, and for a word that is none."""
    if not field.allowed:
        raise SchemaError(f"'{field.label}' takes any word; it has no list.")
    wrong = next((w for w in words if not w.strip()), None)
    if wrong is not None:
        raise SchemaError("An empty word cannot be in the list.", where=f"field {field.name}")
    more = [w.strip() for w in words]
    return field.model_copy(update={"allowed": tuple(dict.fromkeys([*field.allowed, *more]))})
