import click


@click.command()
@click.option("--depth", default=5)
def main(depth):
    click.echo(f"depth {depth}")


main()
