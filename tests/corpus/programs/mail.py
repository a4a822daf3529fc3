from email.message import EmailMessage
from email import message_from_bytes, policy

message = EmailMessage()
message["Subject"] = "Gezeiten für heute"
message.set_content("Hochwasser")
message.add_attachment(b"x", maintype="image", subtype="png", filename="a.png")
print(message_from_bytes(bytes(message), policy=policy.default)["Subject"])
