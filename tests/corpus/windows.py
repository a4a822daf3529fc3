"""Programs that have a window: a display for them, pictures of it, and what differs between two."""

import os
import re
import shutil
import signal
import subprocess
import tempfile
import time

from PIL import Image, ImageChops

SIZE = (1280, 800)
SETTLED = 1.5  # seconds without a change


class Display:
    """A virtual display and a session bus. What a desktop has beside them is the fonts."""

    def __init__(self):
        self.folder = tempfile.mkdtemp(prefix="omnistasis-sweep-")
        reading, writing = os.pipe()
        self.server = subprocess.Popen(["Xvfb", "-displayfd", str(writing), "-screen", "0", "%dx%dx24" % SIZE, "-fbdir", self.folder, "-nolisten", "tcp", "-noreset"], pass_fds=[writing], stderr=subprocess.DEVNULL)
        os.close(writing)
        with os.fdopen(reading) as answer:
            self.number = answer.readline().strip()
        self.bus = subprocess.Popen(["dbus-daemon", "--session", "--nofork", "--address=unix:path=" + self.folder + "/bus"], stderr=subprocess.DEVNULL)
        while not os.path.exists(self.folder + "/bus") and self.bus.poll() is None:
            time.sleep(0.02)
        self.empty = self.picture()

    def end(self):
        for process in (self.bus, self.server):
            process.terminate()
            process.wait()
        shutil.rmtree(self.folder, ignore_errors=True)

    def variables(self):
        return {"DISPLAY": ":" + self.number, "DBUS_SESSION_BUS_ADDRESS": f"unix:path={self.folder}/bus", "GSETTINGS_BACKEND": "memory", "GSK_RENDERER": "cairo", "NO_AT_BRIDGE": "1", "GTK_A11Y": "none", "LIBGL_ALWAYS_SOFTWARE": "1", "QT_XCB_GL_INTEGRATION": "none", "SDL_AUDIODRIVER": "dummy"}

    def shown_to_programs(self):
        arguments = ["--ro-bind", "/tmp/.X11-unix/X" + self.number, "/tmp/.X11-unix/X" + self.number, "--bind", self.folder + "/bus", self.folder + "/bus"]
        for place in ("/etc/fonts", "/usr/share/fonts", "/usr/share/fontconfig", "/var/cache/fontconfig", "/etc/machine-id", "/etc/xdg", "/usr/share/applications", "/usr/share/desktop-directories", "/usr/share/alsa", "/usr/share/hunspell"):
            arguments += ["--ro-bind-try", place, place]
        return arguments

    def picture(self):
        """The display's pixels, from its window dump (X11/XWDFile.h)."""
        with open(self.folder + "/Xvfb_screen0", "rb") as file:
            dump = file.read()
        field = [int.from_bytes(dump[i * 4:i * 4 + 4], "big") for i in range(25)]
        start = field[0] + field[19] * 12
        return Image.frombytes("RGB", SIZE, dump[start:start + field[12] * SIZE[1]], "raw", "BGRX", field[12])

    def run(self, command, folder, environment, file, seconds):
        """Exit code (None: it was ended), output, errors, and whether a window was shown; its picture is in the file.
        It is ended once its window has settled, or in the end."""
        with tempfile.TemporaryFile() as out, tempfile.TemporaryFile() as err:
            process = subprocess.Popen(command, cwd=folder, env=environment, stdin=subprocess.DEVNULL, stdout=out, stderr=err, start_new_session=True)
            began = changed = time.monotonic()
            last = self.empty
            while process.poll() is None and time.monotonic() - began < seconds:
                time.sleep(0.1)
                now = self.picture()
                if now.tobytes() != last.tobytes():
                    last, changed = now, time.monotonic()
                elif share_that_differs(now, self.empty) and time.monotonic() - changed > SETTLED:
                    break
            code = process.poll()
            shown = share_that_differs(last, self.empty) > 0
            last.save(file)
            try:
                os.killpg(process.pid, signal.SIGKILL)
            except ProcessLookupError:
                pass
            process.wait()
            streams = []
            for stream in (out, err):
                stream.seek(0)
                streams.append(stream.read().decode(errors="replace"))
        deadline = time.monotonic() + 5
        while self.picture().tobytes() != self.empty.tobytes() and time.monotonic() < deadline:
            time.sleep(0.1)
        return code, *streams, shown and code in (None, 0)


def share_that_differs(one, other):
    """The share of pixels, 0 to 1, that differ clearly between two pictures."""
    levels = ImageChops.difference(one, other).convert("L").point(lambda value: 255 if value > 24 else 0).histogram()
    return levels[255] / (SIZE[0] * SIZE[1])


def difference(source, built, moving):
    """What is wrong with the second of two pictures, or nothing. Moving ones have to have as much on them only."""
    one, other = Image.open(source).convert("RGB"), Image.open(built).convert("RGB")
    empty = Image.new("RGB", SIZE)
    shown, wanted = share_that_differs(other, empty), share_that_differs(one, empty)
    colours = len(set(other.resize((320, 200), Image.NEAREST).getdata()))
    if shown < wanted * 0.25:
        return f"no window like the one from source ({shown:.0%} of the display instead of {wanted:.0%})"
    if colours < 3 and len(set(one.resize((320, 200), Image.NEAREST).getdata())) >= 3:
        return "a blank window"
    apart = share_that_differs(one, other)
    if not moving and apart > 0.02:
        return f"another picture ({apart:.1%} of the display differ)"
    return ""


def warnings(errors):
    """The lines of warnings and errors, without times, process numbers and addresses."""
    found = []
    for line in errors.splitlines():
        line = re.sub(r"^((\*\* )?\(.*?):\d+\): ", r"\1): ", line)
        line = re.sub(r"\d\d:\d\d:\d\d([.,]\d+)?|0x[0-9a-f]+|\d{4}-\d\d-\d\d", "", line)
        if line.startswith("qt.glx:"):
            continue  # drivers are the machine's
        if "a11y bus" in line:
            continue  # the session's
        if re.search(r"warning|critical|error|fail|can.?not|could not|unable|missing", line, re.I):
            found.append(line.strip())
    return found
