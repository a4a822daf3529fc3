import gi
gi.require_version("Gst", "1.0")
from gi.repository import Gst, GLib
Gst.init(None)
print(Gst.version_string().split()[0])
pipeline = Gst.parse_launch("audiotestsrc num-buffers=5 ! audioconvert ! fakesink name=end")
pipeline.set_state(Gst.State.PLAYING)
message = pipeline.get_bus().timed_pop_filtered(5 * Gst.SECOND, Gst.MessageType.EOS | Gst.MessageType.ERROR)
print(message.type == Gst.MessageType.EOS)
pipeline.set_state(Gst.State.NULL)
