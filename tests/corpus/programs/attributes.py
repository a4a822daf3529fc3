import attr


@attr.s(auto_attribs=True)
class Ship:
    name: str
    draught: float = 5.0


print(attr.asdict(Ship("Plover")))
