import dataclasses
import enum
import functools
import typing


@dataclasses.dataclass(order=True)
class Berth:
    depth: float
    tags: typing.List[str] = dataclasses.field(default_factory=list)


class Kind(enum.Flag):
    QUAY = enum.auto()
    PIER = enum.auto()


@functools.singledispatch
def show(x):
    return "any"


@show.register
def _(x: int):
    return "int"


print(Berth(3.0), Kind.QUAY | Kind.PIER, show(1), typing.get_type_hints(Berth))
