"""What the shapes of all rooms on the wire are made of: stretches in samples, and an edit."""

import re
from typing import Any, ClassVar

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers
from rest_framework.fields import empty

from fendo_core.production.edit import Edit
from fendo_core.timebase import SAMPLE_RATE, Span

DAY = 24 * 3600 * SAMPLE_RATE
Identity = serializers.UUIDField


@extend_schema_field({"type": "array", "items": {"type": "integer"}, "minItems": 2, "maxItems": 2})
class SpanField(serializers.ListField):
    """[start, end] in samples."""

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(**{"child": serializers.IntegerField(), "min_length": 2, "max_length": 2, **kwargs})

    def run_validation(self, data: Any = empty) -> Any:
        """The pair; a stretch of nothing is none."""
        found = super().run_validation(data)
        if found and found[1] <= found[0]:
            raise serializers.ValidationError("A stretch must end after it starts.")
        return found


class Shape(serializers.Serializer):
    """What an edit holds that is more than a number or a text."""

    @staticmethod
    def made(values: dict[str, Any]) -> Any:
        """The core's value."""
        raise NotImplementedError


def _core_value(field: serializers.Field | None, value: Any) -> Any:
    """A validated value as the core has it: identities are text, stretches are spans, and what is many is a tuple."""
    if value is None:
        return None
    if isinstance(field, SpanField):
        return Span(*value)
    if isinstance(field, Identity):
        return str(value)
    if isinstance(field, serializers.ListSerializer | serializers.ListField):
        return tuple(_core_value(field.child, one) for one in value)
    if isinstance(field, Shape):
        return field.made(value)
    return value


class EditSerializer(serializers.Serializer):
    """One kind of edit; `made` turns the validated values into the core's."""

    edit: ClassVar[type[Edit]]
    wire_name: ClassVar[str]
    revision = serializers.IntegerField(min_value=0, help_text="the revision that the edit was made at")

    def made(self) -> Edit:
        """The core's value."""
        values = {key: value for key, value in self.validated_data.items() if key not in ("revision", "kind")}
        return self.edit(**{key: _core_value(self.fields[key], value) for key, value in values.items()})


def kind(edit: type[Edit], /, **fields: serializers.Field) -> type[EditSerializer]:
    """The serializer of one kind of edit. On the wire it is called like the edit, in small letters: `set_words`."""
    name = re.sub(r"(?<!^)(?=[A-Z])", "_", edit.__name__).lower()
    members = {"kind": serializers.ChoiceField([name]), "edit": edit, "wire_name": name, "__doc__": edit.__doc__, **fields}
    return type(f"{edit.__name__}EditSerializer", (EditSerializer,), members)
