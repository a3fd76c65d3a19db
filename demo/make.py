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


def pdf(name, content, width=842, height=595):
    """One page of PDF, by hand: a catalogue, a page, a font, a stream."""
    stream = "\n".join(content).encode()
    objects = [
        b"<< /Type /Catalog /Pages 2 0 R >>",
        b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
        f"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 {width} {height}] /Contents 5 0 R /Resources << /Font << /F1 4 0 R >> >> >>".encode(),
        b"<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>",
        b"<< /Length %d >>\nstream\n" % len(stream) + stream + b"\nendstream",
    ]
    out, places = b"%PDF-1.4\n", []
    for i, body in enumerate(objects):
        places.append(len(out))
        out += b"%d 0 obj\n" % (i + 1) + body + b"\nendobj\n"
    xref = len(out)
    out += b"xref\n0 %d\n0000000000 65535 f \n" % (len(objects) + 1)
    out += b"".join(b"%010d 00000 n \n" % p for p in places)
    out += b"trailer << /Size %d /Root 1 0 R >>\nstartxref\n%d\n%%%%EOF\n" % (len(objects) + 1, xref)
    (HERE / name).write_bytes(out)


def smoker_shelf():
    """A plan on paper: four parts at true size, with border, title block, dimensions and notes round them."""
    mm = 72 / 25.4
    c = []
    rect = lambda x, y, w, h: c.append(f"{x * mm:.3f} {y * mm:.3f} {w * mm:.3f} {h * mm:.3f} re S")
    line = lambda *p: c.append(f"{p[0] * mm:.3f} {p[1] * mm:.3f} m " + " ".join(f"{p[i] * mm:.3f} {p[i + 1] * mm:.3f} l" for i in range(2, len(p), 2)) + " S")
    text = lambda x, y, size, words: c.append(f"BT /F1 {size} Tf {x * mm:.3f} {y * mm:.3f} Td ({words}) Tj ET")
    c.append("0 G 0.7 w")
    rect(10, 10, 277, 190)
    rect(197, 10, 90, 30)
    line(197, 25, 287, 25)
    text(200, 29, 12, "Smoker-shelf kit")
    text(200, 15, 9, "Marrowby Hiveware, birch plywood 6 mm")
    c.append("0.3 w")
    # Shelf, back, two brackets.
    rect(25, 120, 140, 60)
    rect(45, 172, 6, 8)
    rect(139, 172, 6, 8)
    rect(25, 55, 140, 45)
    for x in (180, 235):
        line(x, 120, x + 40, 120, x + 40, 126, x + 6, 175, x, 175, x, 120)
    c.append(f"{95 * mm:.3f} {86 * mm:.3f} m")
    k, r, cx, cy = 0.5523, 8, 87, 77
    c.pop()
    c.append(f"{(cx + r) * mm:.3f} {cy * mm:.3f} m " + " ".join(
        f"{(cx + a) * mm:.3f} {(cy + b) * mm:.3f} {(cx + d) * mm:.3f} {(cy + e) * mm:.3f} {(cx + f) * mm:.3f} {(cy + g) * mm:.3f} c"
        for a, b, d, e, f, g in [(r, k * r, k * r, r, 0, r), (-k * r, r, -r, k * r, -r, 0), (-r, -k * r, -k * r, -r, 0, -r), (k * r, -r, r, -k * r, r, 0)]) + " s")
    c.append("0.15 w 0.4 G")
    line(25, 112, 165, 112)
    line(25, 110, 25, 118)
    line(165, 110, 165, 118)
    text(90, 113, 8, "140")
    text(60, 145, 10, "Shelf 1x")
    text(60, 60, 10, "Back 1x")
    text(188, 135, 10, "Bracket 2x")
    pdf("smoker-shelf.pdf", c)


def bee():
    """An ink drawing of a bee, scanned: soft edges, paper that is not quite white, a few specks."""
    import random, struct, zlib
    random.seed(5)
    w, h = 420, 320
    def depth(x, y):
        ellipse = lambda cx, cy, a, b, turn=0.0: 1 - math.hypot(((x - cx) * math.cos(turn) + (y - cy) * math.sin(turn)) / a, (-(x - cx) * math.sin(turn) + (y - cy) * math.cos(turn)) / b)
        body = ellipse(210, 190, 95, 52) * 52
        stripes = max(body if abs((x - 210) / 95 * 4 - s) < 0.55 else -9 for s in (-2.2, 0.0, 2.2))
        shell = 3.2 - abs(body)
        head = ellipse(318, 182, 30, 30) * 30
        wing = max(2.6 - abs(ellipse(180, 105, 72, 34, -0.5) * 34), 2.6 - abs(ellipse(235, 100, 62, 30, 0.35) * 30))
        feeler = max(2.2 - abs(math.hypot(x - 330, y - 130) - 40) if 318 < x < 372 and y < 160 else -9, -9)
        sting = 4 - abs(y - 190) - max(0, (130 - x) * 0.25) if 88 < x < 124 else -9
        return max(stripes, shell, head, wing, feeler, sting)
    rows = bytearray()
    for y in range(h):
        rows.append(0)
        for x in range(w):
            ink = min(1, max(0, depth(x, y) + 0.5))
            grey = 236 - 200 * ink + random.uniform(-9, 9)
            rows.append(int(min(255, max(0, grey))))
    for _ in range(25):
        rows[1 + random.randrange(h) * (w + 1) + random.randrange(w - 1)] = 60
    chunk = lambda kind, data: struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))
    png = b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", struct.pack(">IIBBBBB", w, h, 8, 0, 0, 0, 0)) + chunk(b"IDAT", zlib.compress(bytes(rows), 9)) + chunk(b"IEND", b"")
    (HERE / "bee.png").write_bytes(png)


def feeder_roof():
    """A wedge-shaped roof, in mm though its file cannot say so: five flat faces."""
    a, b, high, low = 180, 120, 60, 25
    v = [(0, 0, 0), (a, 0, 0), (a, b, 0), (0, b, 0), (0, 0, high), (a, 0, high), (a, b, low), (0, b, low)]
    quads = [(0, 3, 2, 1), (4, 5, 6, 7), (0, 1, 5, 4), (1, 2, 6, 5), (2, 3, 7, 6), (3, 0, 4, 7)]
    out = ["solid roof"]
    for q in quads:
        for t in ((q[0], q[1], q[2]), (q[0], q[2], q[3])):
            out += ["facet normal 0 0 0", "outer loop", *(f"vertex {v[i][0]} {v[i][1]} {v[i][2]}" for i in t), "endloop", "endfacet"]
    (HERE / "feeder-roof.stl").write_text("\n".join(out + ["endsolid roof"]) + "\n")


if __name__ == "__main__":
    smoker_shelf()
    bee()
    feeder_roof()
    queen_excluder()
    crown_board()
    frame_bars()
    mouse_guard()
    stand_gusset()
    letters = Letters()
    number_plates(letters)
    honey_sign(letters)
    comb_tiles()
