from celery import Celery
app = Celery('harbour', broker='memory://', backend='cache+memory://')
@app.task
def add(a, b):
    return a + b
app.conf.task_always_eager = True
print(add.delay(2, 3).get())
app.conf.task_always_eager = False
print(type(add.apply_async((1, 2)).id).__name__, app.connection().transport_cls)
