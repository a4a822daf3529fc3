from flask import Flask
from flask_socketio import SocketIO, emit
app = Flask(__name__)
hub = SocketIO(app, async_mode="threading")

@hub.on("ask")
def ask(text):
    emit("answer", text.upper())

client = hub.test_client(app)
client.emit("ask", "tide")
print(client.get_received())
