from apscheduler.schedulers.background import BackgroundScheduler
import threading
d = threading.Event()
s = BackgroundScheduler(timezone='UTC')
s.add_job(d.set, 'interval', seconds=0.1)
s.start()
print(d.wait(5)); s.shutdown()
print(BackgroundScheduler({'apscheduler.jobstores.default': {'type': 'memory'}}, timezone='UTC') is not None)
