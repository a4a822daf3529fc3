import sentry_sdk
sent = []
sentry_sdk.init(dsn='http://key@127.0.0.1:1/1', before_send=lambda e, h: sent.append(e) and None)
try:
    1 / 0
except ZeroDivisionError:
    sentry_sdk.capture_exception()
print(sent[0]['exception']['values'][0]['type'])
