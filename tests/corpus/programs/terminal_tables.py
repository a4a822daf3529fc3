from rich.console import Console
from rich.table import Table

table = Table(title="Berths")
table.add_column("name")
table.add_row("Amber Quay")
Console(width=60).print(table)
