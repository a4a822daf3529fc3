from flask import Flask, render_template_string

app = Flask(__name__)


@app.route("/<name>")
def page(name):
    return render_template_string("Berth {{ name|upper }}", name=name)


print(app.test_client().get("/quay").data)
