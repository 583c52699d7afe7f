"""Dataclasses that are quick to declare and to make.

The standard library compiles six functions for each frozen dataclass; a look at one person declares two hundred of
them, and that was more than a quarter of it. Here one is compiled, the one that takes the values, and only when a first
object is made: of half of what is declared none ever is. What compares them is a closure. That nobody sets a field of
a frozen one is held by the type checker, which takes this for the standard decorator, and no longer asked at each field
of each object made: a third of the time for twenty thousand hosts.
"""

import dataclasses
from collections.abc import Callable
from operator import attrgetter
from typing import TYPE_CHECKING, Any, cast

if TYPE_CHECKING:
    from dataclasses import dataclass

    __all__ = ["dataclass"]
else:

    def dataclass(
        cls: type | None = None, /, *, frozen: bool = False, slots: bool = False, order: bool = False
    ) -> type | Callable[[type], type]:
        """Make a dataclass of a class, as `dataclasses.dataclass` would."""

        def made_of(cls: type) -> type:
            own = vars(cls)
            made = dataclasses.dataclass(init=False, repr=False, eq=order, order=order, slots=slots)(cls)
            names = [field.name for field in dataclasses.fields(made) if field.compare]
            values_of = attrgetter(*names) if names else type
            if "__eq__" not in own:
                made.__eq__ = _equality(values_of)
            if own.get("__hash__") is None:
                made.__hash__ = (lambda self: hash(values_of(self))) if frozen else None
            if "__init__" not in own:
                made.__init__ = _compiled_when_called(made)
            if "__repr__" not in own:
                made.__repr__ = _shown
            return made

        return made_of if cls is None else made_of(cls)


def _compiled_when_called(made: Any) -> Callable[..., None]:
    def take(self: Any, *values: Any, **by_name: Any) -> None:
        made.__init__ = _taking_values(made)
        made.__init__(self, *values, **by_name)

    return take


def _taking_values(made: type) -> Callable[..., None]:
    """Compile what the standard library would: each field from an argument, its default, or what makes it."""
    known: dict[str, Any] = {"_not_given": dataclasses.MISSING}
    takes, lines = ["self"], []
    for field in dataclasses.fields(made):
        name, taken, value = field.name, field.name, field.name
        if not field.init:
            continue
        if field.default is not dataclasses.MISSING:
            known[f"_usual_{name}"] = field.default
            taken = f"{name}=_usual_{name}"
        elif field.default_factory is not dataclasses.MISSING:
            known[f"_make_{name}"] = field.default_factory
            taken, value = f"{name}=_not_given", f"_make_{name}() if {name} is _not_given else {name}"
        takes.append(taken)
        lines.append(f"self.{name} = {value}")
    if hasattr(made, "__post_init__"):
        lines.append("self.__post_init__()")
    exec(f"def __init__({', '.join(takes)}):\n " + "\n ".join(lines or ["pass"]), known)  # noqa: S102 - the names of fields of ours
    taking = cast("Callable[..., None]", known["__init__"])
    taking.__qualname__ = f"{made.__qualname__}.__init__"
    return taking


def _equality(values_of: Callable[[Any], object]) -> Callable[[object, object], bool]:
    def are_equal(one: object, other: object) -> bool:
        return values_of(one) == values_of(other) if other.__class__ is one.__class__ else NotImplemented

    return are_equal


def _shown(self: Any) -> str:
    shown = (f"{field.name}={getattr(self, field.name)!r}" for field in dataclasses.fields(self) if field.repr)
    return f"{type(self).__qualname__}({', '.join(shown)})"
