#!/usr/bin/env python3
"""Draws the demo shop's drawings, each as its tool would have exported it, flaws and all.

The drawings are committed; this script is only run when one of them is to change:
    pip install fonttools brotli && npm ci && python3 demo/make.py
"""
import math
from pathlib import Path

HERE = Path(__file__).parent
FONT = HERE.parent / "node_modules/@fontsource-variable/commissioner/files/commissioner-latin-wght-normal.woff2"


class Dxf:
    """An ASCII DXF, R2000 style, with or without a unit."""

    def __init__(self, units=None):
        self.units, self.layers, self.blocks, self.body = units, [], [], []

    def layer(self, name, colour):
        self.layers.append((name, colour))

    def add(self, kind, layer, *groups):
        self.body += [(0, kind), (8, layer), *groups]

    def line(self, layer, a, b):
        self.add("LINE", layer, (10, a[0]), (20, a[1]), (11, b[0]), (21, b[1]))

    def arc(self, layer, c, r, start, end):
        self.add("ARC", layer, (10, c[0]), (20, c[1]), (40, r), (50, start), (51, end))

    def circle(self, layer, c, r):
        self.add("CIRCLE", layer, (10, c[0]), (20, c[1]), (40, r))

    def polyline(self, layer, points, closed=True):
        groups = [(90, len(points)), (70, int(closed))]
        for p in points:
            groups += [(10, p[0]), (20, p[1])] + ([(42, p[2])] if len(p) > 2 and p[2] else [])
        self.add("LWPOLYLINE", layer, *groups)

    def text(self, layer, at, height, value):
        self.add("TEXT", layer, (10, at[0]), (20, at[1]), (40, height), (1, value))

    def insert(self, layer, name, at, turn=0, scale=(1, 1)):
        self.add("INSERT", layer, (2, name), (10, at[0]), (20, at[1]), (41, scale[0]), (42, scale[1]), (50, turn))

    def block(self, name, draw):
        saved, self.body = self.body, []
        draw(self)
        self.blocks.append((name, self.body))
        self.body = saved

    def write(self, name):
        out = []
        put = lambda *pairs: out.extend(pairs)
        put((0, "SECTION"), (2, "HEADER"), (9, "$ACADVER"), (1, "AC1015"))
        if self.units is not None:
            put((9, "$INSUNITS"), (70, self.units))
        put((0, "ENDSEC"), (0, "SECTION"), (2, "TABLES"), (0, "TABLE"), (2, "LAYER"), (70, len(self.layers)))
        for layer, colour in self.layers:
            put((0, "LAYER"), (2, layer), (70, 0), (62, colour), (6, "CONTINUOUS"))
        put((0, "ENDTAB"), (0, "ENDSEC"), (0, "SECTION"), (2, "BLOCKS"))
        for block, body in self.blocks:
            put((0, "BLOCK"), (8, "0"), (2, block), (70, 0), (10, 0), (20, 0), *body, (0, "ENDBLK"), (8, "0"))
        put((0, "ENDSEC"), (0, "SECTION"), (2, "ENTITIES"), *self.body, (0, "ENDSEC"), (0, "EOF"))
        show = lambda v: f"{v:.6f}".rstrip("0").rstrip(".") if isinstance(v, float) else str(v)
        (HERE / name).write_text("".join(f"{code}\n{show(value)}\n" for code, value in out))


def queen_excluder():
    """240 slots in a frame; the drawing office never set a unit."""
    d = Dxf()
    d.layer("PANEL", 7)
    w, h = 402.0, 330.0
    d.polyline("PANEL", [(0, 0), (w, 0), (w, h), (0, h)])
    slot, gap, length = 4.2, 11.6, 27.0
    for row in range(8):
        for col in range(30):
            x, y = 30.0 + col * gap, 24.0 + row * 36.0
            d.polyline("PANEL", [(x, y, 1.0), (x + slot, y), (x + slot, y + length, 1.0), (x, y + length)])
    d.write("queen-excluder.dxf")


def crown_board():
    """Loose pieces with 0.02 mm gaps, one edge drawn twice, a plug inside the opening."""
    d = Dxf(4)
    d.layer("BOARD", 1)
    d.layer("PLUG", 1)
    w, h, r, gap = 240.0, 200.0, 8.0, 0.02
    corners = [(w - r, r, 270, 360), (w - r, h - r, 0, 90), (r, h - r, 90, 180), (r, r, 180, 270)]
    d.line("BOARD", (r + gap, 0.0), (w - r, 0.0))
    d.line("BOARD", (w, r), (w, h / 2))
    d.line("BOARD", (w, h / 2 + gap), (w, h - r))
    d.line("BOARD", (w - r, h), (r, h))
    d.line("BOARD", (0.0, h - r), (0.0, r + gap))
    d.line("BOARD", (0.0, h - r), (0.0, r + gap))
    for x, y, a, b in corners:
        d.arc("BOARD", (x, y), r, a, b)
    # The bee-escape opening: a long hole, and the plug that closes it cut from its middle.
    x0, x1, y, r = 78.0, 162.0, 100.0, 26.0
    d.line("BOARD", (x0, y - r), (x1 - gap, y - r))
    d.line("BOARD", (x1, y + r), (x0 + gap, y + r))
    d.arc("BOARD", (x0, y), r, 90, 270)
    d.arc("BOARD", (x1, y), r, 270, 90)
    r = 20.0
    d.polyline("PLUG", [(x0, y - r), (x1, y - r, 1.0), (x1, y + r), (x0, y + r, 1.0)])
    d.circle("PLUG", (120.0, 100.0), 6.0)
    d.write("crown-board.dxf")


def frame_bars():
    """Side bars and top bars as blocks; the grain stands there as a note."""
    d = Dxf(4)
    d.layer("CUT", 1)
    d.layer("NOTES", 3)

    def side(b):
        b.polyline("CUT", [(0, 0), (19, 0), (22, 6), (22, 80), (35, 96), (35, 214), (26, 214), (26, 205), (9, 205), (9, 214), (0, 214)])
        for y in (40.0, 75.0, 120.0, 165.0):
            b.circle("CUT", (11.0, y), 1.5)

    def top(b):
        b.polyline("CUT", [(0, 8), (25, 8), (25, 3.5), (34, 3.5), (34, 0), (398, 0), (398, 3.5), (407, 3.5), (407, 8), (432, 8), (432, 19), (407, 19), (407, 23.5), (398, 23.5), (398, 27), (34, 27), (34, 23.5), (25, 23.5), (25, 19), (0, 19)])

    d.block("SIDE_BAR", side)
    d.block("TOP_BAR", top)
    for i in range(4):
        d.insert("0", "SIDE_BAR", (i * 45.0, 0.0))
    for i in range(2):
        d.insert("0", "TOP_BAR", (0.0, 230.0 + i * 36.0))
    d.text("NOTES", (200.0, 100.0), 6.0, "GRAIN ALONG THE BAR, 4 SIDE, 2 TOP PER FRAME")
    d.write("frame-bars.dxf")


def mouse_guard():
    """A strip of mild steel with passages from 5 to 9 mm."""
    d = Dxf(4)
    d.layer("GUARD", 7)
    w, h, r = 460.0, 70.0, 10.0
    d.line("GUARD", (r, 0.0), (w - r, 0.0))
    d.line("GUARD", (w, r), (w, h - r))
    d.line("GUARD", (w - r, h), (r, h))
    d.line("GUARD", (0.0, h - r), (0.0, r))
    for x, y, a, b in [(w - r, r, 270, 360), (w - r, h - r, 0, 90), (r, h - r, 90, 180), (r, r, 180, 270)]:
        d.arc("GUARD", (x, y), r, a, b)
    for i in range(14):
        d.circle("GUARD", (36.0 + i * 30.0, 24.0), 4.5)
    for i in range(6):
        d.circle("GUARD", (60.0 + i * 68.0, 52.0), 2.5 if i in (0, 5) else 3.5)
    d.write("mouse-guard.dxf")


def stand_gusset():
    """Inch drawing with SPLINE and ELLIPSE."""
    d = Dxf(1)
    d.layer("GUSSET", 5)
    d.layer("FOOT", 5)
    # A gusset whose long side is a spline from (8, 0) to (0, 8).
    points = [(8.0, 0.0), (5.4, 0.4), (3.0, 1.4), (1.4, 3.0), (0.4, 5.4), (0.0, 8.0)]
    knots = [0, 0, 0, 0, 1, 2, 3, 3, 3, 3]
    d.add("SPLINE", "GUSSET", (70, 8), (71, 3), (72, len(knots)), (73, len(points)), (74, 0), *[(40, float(k)) for k in knots], *[g for p in points for g in ((10, p[0]), (20, p[1]), (30, 0.0))])
    d.line("GUSSET", (0.0, 8.0), (0.0, 0.0))
    d.line("GUSSET", (0.0, 0.0), (8.0, 0.0))
    d.circle("GUSSET", (1.0, 1.0), 0.28)
    d.circle("GUSSET", (0.42, 3.4), 0.16)
    d.circle("GUSSET", (3.4, 0.42), 0.16)
    # A foot plate: an ellipse with a slot and four bolt holes.
    d.add("ELLIPSE", "FOOT", (10, 13.0), (20, 3.5), (11, 3.5), (21, 0.0), (40, 0.7), (41, 0.0), (42, 2 * math.pi))
    d.polyline("FOOT", [(12.0, 3.2), (14.0, 3.2, 1.0), (14.0, 3.8), (12.0, 3.8, 1.0)])
    for x, y in ((10.6, 3.5), (15.4, 3.5), (13.0, 5.1), (13.0, 1.9)):
        d.circle("FOOT", (x, y), 0.22)
    d.text("FOOT", (11.8, 6.2), 0.25, "FOOT PLATE, 2 PER STAND")
    d.write("stand-gusset.dxf")


class Letters:
    """Outlines of a font as path data, as a drawing program leaves text that was turned into paths."""

    def __init__(self):
        from fontTools.ttLib import TTFont
        self.font = TTFont(FONT)
        self.glyphs, self.cmap = self.font.getGlyphSet(location={"wght": 600}), self.font.getBestCmap()
        self.em = self.font["head"].unitsPerEm

    def path(self, text, x, y, size, middle=True):
        from fontTools.pens.svgPathPen import SVGPathPen
        from fontTools.pens.transformPen import TransformPen
        s = size / self.em
        width = sum(self.glyphs[self.cmap[ord(c)]].width for c in text) * s
        at = x - width / 2 if middle else x
        out = []
        for c in text:
            glyph = self.glyphs[self.cmap[ord(c)]]
            pen = SVGPathPen(self.glyphs, ntos=lambda v: f"{v:.3f}".rstrip("0").rstrip("."))
            glyph.draw(TransformPen(pen, (s, 0, 0, -s, at, y)))
            out.append(pen.getCommands())
            at += glyph.width * s
        return " ".join(out)


def number_plates(letters):
    """24 plates in pixels at 96 to the inch, styled by classes."""
    px = 96 / 25.4
    w, h, gap = 70 * px, 45 * px, 6 * px
    out = ['<?xml version="1.0" encoding="UTF-8"?>', f'<svg xmlns="http://www.w3.org/2000/svg" width="{6 * (w + gap):.3f}" height="{4 * (h + gap):.3f}">',
           "<style>.edge{fill:none;stroke:#e4002b;stroke-width:.3}.frame{fill:none;stroke:#0047bb}.digits{fill:#000;stroke:none}</style>"]
    for n in range(24):
        x, y = gap / 2 + n % 6 * (w + gap), gap / 2 + n // 6 * (h + gap)
        out.append(f'<g transform="translate({x:.3f} {y:.3f})"><rect class="edge" width="{w:.3f}" height="{h:.3f}" rx="{4 * px:.3f}"/>'
                   f'<circle class="edge" cx="{w / 2:.3f}" cy="{5 * px:.3f}" r="{2 * px:.3f}"/>'
                   f'<path class="frame" d="M{6 * px:.3f} {39 * px:.3f}H{64 * px:.3f}"/>'
                   f'<g class="lettering"><path class="digits" d="{letters.path(str(n + 1), w / 2, 34 * px, 30 * px)}"/></g></g>')
    out.append("</svg>")
    (HERE / "number-plates.svg").write_text("\n".join(out) + "\n")


def honey_sign(letters):
    """A shop sign: Beziers, fills, and one line in nearly the shop's red for cutting."""
    out = ['<?xml version="1.0" encoding="UTF-8"?>', '<svg xmlns="http://www.w3.org/2000/svg" width="260mm" height="150mm" viewBox="0 0 260 150">']
    out.append('<g id="board"><path fill="none" stroke="#e4002b" stroke-width=".1" d="M20 75C20 40 60 12 130 12S240 40 240 75 200 138 130 138 20 110 20 75Z"/>'
               '<circle fill="none" stroke="#e40530" stroke-width=".1" cx="60" cy="40" r="3"/><circle fill="none" stroke="#e4002b" stroke-width=".1" cx="200" cy="40" r="3"/></g>')
    out.append('<g id="line"><path fill="none" stroke="#0047bb" stroke-width=".1" d="M30 75C30 46 66 20 130 20S230 46 230 75 194 130 130 130 30 104 30 75Z"/></g>')
    out.append(f'<g id="lettering"><path fill="#000" d="{letters.path("HONEY", 130, 88, 44)}"/><path fill="#000" d="{letters.path("from the hives behind the house", 130, 108, 9.5)}"/></g>')
    hexagon = lambda x, y, r: "M" + "L".join(f"{x + r * math.cos(a * math.pi / 3):.3f} {y + r * math.sin(a * math.pi / 3):.3f}" for a in range(6)) + "Z"
    out.append(f'<path fill="#000" d="{hexagon(112, 38, 7)}{hexagon(130, 48.4, 7)}{hexagon(148, 38, 7)}"/></svg>')
    (HERE / "honey-sign.svg").write_text("\n".join(out) + "\n")


def comb_tiles():
    """Hexagons by an older program: 72 pixels to the inch, one tile used many times."""
    px, r = 72 / 25.4, 26.0
    pts = " ".join(f"{r * px * math.cos(a * math.pi / 3):.3f},{r * px * math.sin(a * math.pi / 3):.3f}" for a in range(6))
    inner = " ".join(f"{(r - 9) * px * math.cos(a * math.pi / 3):.3f},{(r - 9) * px * math.sin(a * math.pi / 3):.3f}" for a in range(6))
    out = ['<?xml version="1.0" encoding="UTF-8"?>', f'<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="{250 * px:.2f}px" height="{200 * px:.2f}px">',
           f'<defs><g id="tile" fill="none" stroke="#e4002b"><polygon points="{pts}"/><polygon stroke="#0047bb" points="{inner}"/></g></defs>']
    for row in range(3):
        for col in range(4):
            x, y = (30 + col * 56.0) * px, (30 + row * 62.0) * px
            out.append(f'<use xlink:href="#tile" x="{x:.3f}" y="{y:.3f}"/>')
    out.append("</svg>")
    (HERE / "comb-tiles.svg").write_text("\n".join(out) + "\n")


if __name__ == "__main__":
    queen_excluder()
    crown_board()
    frame_bars()
    mouse_guard()
    stand_gusset()
    letters = Letters()
    number_plates(letters)
    honey_sign(letters)
    comb_tiles()
