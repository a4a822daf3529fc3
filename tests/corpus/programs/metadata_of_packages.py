from importlib.metadata import version

print(version("jinja2"), version("PyYAML"))
