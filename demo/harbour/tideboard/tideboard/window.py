"""The tide curve of a day in a window."""

import tkinter
from importlib import resources

from tideboard import feeds, stations
from tideboard.tides import Tide

WIDTH, HEIGHT, MARGIN = 900, 420, 50
SEA, INK, GRID = "#2a6f97", "#1b2a33", "#d5dde1"


def draw(canvas, place, day):
    tide = Tide(place, feeds.load(stations.settings()["feed"]).correction(day))
    points = list(tide.curve(day))
    low = min(0.0, min(height for _, height in points))
    high = max(height for _, height in points) + 0.5

    def position(moment, height):
        hours = moment.hour + moment.minute / 60 if moment.date() == day else 24
        x = MARGIN + hours / 24 * (WIDTH - 2 * MARGIN)
        return x, HEIGHT - MARGIN - (height - low) / (high - low) * (HEIGHT - 2 * MARGIN)

    for metres in range(int(low), int(high) + 1):
        y = position(points[0][0], metres)[1]
        canvas.create_line(MARGIN, y, WIDTH - MARGIN, y, fill=GRID)
        canvas.create_text(MARGIN - 8, y, text=f"{metres} m", anchor="e", fill=INK)
    for hour in range(0, 25, 3):
        x = MARGIN + hour / 24 * (WIDTH - 2 * MARGIN)
        canvas.create_text(x, HEIGHT - MARGIN + 16, text=f"{hour:02}:00", fill=INK)
    line = [coordinate for point in points for coordinate in position(*point)]
    bottom = HEIGHT - MARGIN
    canvas.create_polygon(MARGIN, bottom, *line, WIDTH - MARGIN, bottom, fill="#cfe3ee", outline="")
    canvas.create_line(*line, fill=SEA, width=3)
    for moment, height, kind in tide.turns(day):
        x, y = position(moment, height)
        canvas.create_oval(x - 4, y - 4, x + 4, y + 4, fill=SEA, outline="")
        up = -16 if kind == "high" else 16
        # Beside the axis there are the heights.
        canvas.create_text(max(x, MARGIN + 52), y + up, text=f"{moment:%H:%M}  {height:.2f} m", fill=INK)


def show(station, day):
    place = stations.station(station)
    root = tkinter.Tk(className="Tideboard")
    root.title(f"{place['title']}, {day:%d %B %Y}")
    data = resources.files("tideboard").joinpath("data", "lighthouse.png").read_bytes()
    picture = tkinter.PhotoImage(data=data)
    root.iconphoto(True, picture)
    top = tkinter.Frame(root, background="white")
    top.pack(fill="x")
    tkinter.Label(top, image=picture, background="white").pack(side="left", padx=12, pady=8)
    tkinter.Label(top, text=f"{place['title']}  {day:%A %d %B %Y}", background="white", fg=INK, font="TkDefaultFont 15").pack(side="left")
    canvas = tkinter.Canvas(root, width=WIDTH, height=HEIGHT, background="white", highlightthickness=0)
    canvas.pack()
    draw(canvas, place, day)
    root.mainloop()
