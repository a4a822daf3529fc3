import jinja2

print(jinja2.Environment().from_string("{% for x in xs %}{{ loop.index }}:{{ x }} {% endfor %}").render(xs="ab"))
print(jinja2.Template("{{ 3.7|round|int }}").render())
