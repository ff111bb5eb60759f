"""Ink drawings of a plant by its build, with the numbered places to look at."""

from __future__ import annotations

import math
from collections.abc import Callable
from html import escape

from brood.charts.pen.svg import Point, circle, line, num, path, rect, text
from brood.services.diagnosis.look_page import LookResult, ZoneLine

W, H = 400.0, 430.0
SOIL_Y, POT_FOOT = 318.0, 408.0
PIN = 17.0


def draw(result: LookResult, base: str) -> str:
    """The plant with a pin for every zone: solid where something was found, ringed
    where it was looked at, dashed where not. Pins are links.
    """
    build, top = BUILDS[result.build]
    parts, spots = build()
    pins = "".join(
        _pin(zone, spots[zone.id], zone.id == result.zone.id, base)
        for zone in result.zones
        if zone.id in spots
    )
    return (
        f'<svg class="plate" viewBox="0 {num(top)} {num(W)} {num(H - top)}" role="group" '
        'aria-label="Where to look on the plant">'
        f'<g class="plate-art" aria-hidden="true">{parts}</g>{pins}</svg>'
    )


def _pin(zone: ZoneLine, spot: tuple[Point, Point], here: bool, base: str) -> str:
    (x, y), at = spot
    state = (
        "found"
        if zone.answered and zone.found not in ("nothing", "not looked")
        else "looked"
        if zone.answered
        else "open"
    )
    angle = math.atan2(at[1] - y, at[0] - x)
    start = (x + PIN * math.cos(angle), y + PIN * math.sin(angle))
    ring = circle((x, y), PIN + 4.5, "pin-here") if here else ""
    current = ' aria-current="true"' if here else ""
    return (
        f'<a class="pin {state}" href="{escape(base)}?zone={zone.id}#zone" '
        f'aria-label="{zone.n}, {escape(zone.zone.name)}: {escape(zone.found)}"'
        f"{current}>{line(start, at, 'pin-line')}{circle(at, 4, 'pin-spot')}"
        f"{circle((x, y), 26, 'pin-hit')}{ring}{circle((x, y), PIN, 'pin-disc')}"
        f"{text((x, y + 6), str(zone.n), 'pin-n', 'middle')}</a>"
    )


def leaf(base: Point, tip: Point, wide: float, *, veins: int = 5) -> str:
    """A leaf from its base to its tip, `wide` px across, veined, with shading on its right."""
    (ax, ay), (bx, by) = base, tip
    dx, dy = bx - ax, by - ay
    long = math.hypot(dx, dy)
    nx, ny = -dy / long, dx / long

    def at(along: float, across: float) -> Point:
        bend = 0.06 * long * math.sin(math.pi * along)
        return ax + dx * along + nx * (across + bend), ay + dy * along + ny * (across + bend)

    def half(along: float) -> float:
        return wide / 2 * math.sin(math.pi * along**0.8) ** 0.9 if 0 < along < 1 else 0.0

    steps = [k / 16 for k in range(17)]
    left, right = [at(s, half(s)) for s in steps], [at(s, -half(s)) for s in reversed(steps)]
    out = path([*left, *right], "bd", close=True) + path([at(s, 0) for s in steps], "ln")
    for k in range(1, veins + 1):
        s = k / (veins + 1)
        for side in (1, -1):
            out += path(
                [
                    at(s * 0.92, 0),
                    at(min(s * 0.92 + 0.1, 0.97), side * half(min(s + 0.08, 0.97)) * 0.82),
                ],
                "fn",
            )
    shade = 1 if nx > 0 else -1
    for k in range(int(long / 5)):
        s = 0.12 + 0.8 * k / max(int(long / 5), 1)
        out += path(
            [
                at(s, shade * half(s) * 0.97),
                at(s + 0.015, shade * half(s) * (0.66 + 0.1 * (k % 3))),
            ],
            "fn",
        )
    return out


def pot(left: float = 128, right: float = 272) -> str:
    """A pot with soil, cut open to show roots, with holes and a saucer."""
    inset = (right - left) * 0.09
    cut = left + (right - left) * 0.52
    out = path(
        [
            (left, SOIL_Y + 16),
            (right, SOIL_Y + 16),
            (right - inset, POT_FOOT - 8),
            (left + inset, POT_FOOT - 8),
        ],
        "bd",
        close=True,
    )
    jag = (
        [(cut, SOIL_Y + 16)]
        + [(cut + (6 if k % 2 else -5), SOIL_Y + 16 + k * 9) for k in range(1, 8)]
        + [(cut + 4, POT_FOOT - 8)]
    )
    out += path(
        [*jag, (right - inset - 7, POT_FOOT - 14), (right - 8, SOIL_Y + 16)],
        "plate-soil",
        close=True,
    )
    for k in range(6):
        x = cut + 12 + k * (right - cut - 30) / 6
        out += path(
            [
                (200, SOIL_Y + 8),
                (x, SOIL_Y + 30),
                (x + 5 - k, SOIL_Y + 52),
                (x + (k % 3) * 5, POT_FOOT - 18),
            ],
            "ln",
        )
        out += path([(x, SOIL_Y + 30), (x + 8, SOIL_Y + 42)], "fn") + path(
            [(x + 5 - k, SOIL_Y + 52), (x - 5, SOIL_Y + 64)], "fn"
        )
    for k in range(11):
        y = SOIL_Y + 22 + k * 5.6
        out += path(
            [
                (left + 3 + (y - SOIL_Y) * 0.15, y),
                (left + 26 + (y - SOIL_Y) * 0.15 + (k % 3) * 5, y),
            ],
            "fn",
        )
    out += path(
        [
            (left - 9, SOIL_Y),
            (right + 9, SOIL_Y),
            (right + 9, SOIL_Y + 17),
            (left - 9, SOIL_Y + 17),
        ],
        "bd",
        close=True,
    )
    out += path([(x, SOIL_Y - 1 - (x * 7 % 4)) for x in range(int(left), int(right), 6)], "ln")
    out += "".join(rect(x - 6, POT_FOOT - 8, 12, 5, "dk") for x in (172, 232))
    saucer = [
        (left - 24, POT_FOOT - 4),
        (right + 24, POT_FOOT - 4),
        (right + 8, POT_FOOT + 12),
        (left - 8, POT_FOOT + 12),
    ]
    return out + path(saucer, "bd", close=True)


def card(x: float = 330, foot: float = SOIL_Y) -> str:
    """A sticky card on a stick."""
    out = line((x, foot), (x, foot - 92), "ln") + rect(x - 17, foot - 92, 34, 52, "plate-card")
    return out + "".join(
        circle((x - 11 + 11 * (k % 3), foot - 82 + 12 * (k // 3) + k % 2 * 4), 1.6, "dk")
        for k in range(8)
    )


def bloom(x: float, y: float, far: float, size: float) -> str:
    """A flower of five round petals."""
    petals = (0.3, 1.55, 2.8, 4.05, 5.3)
    return "".join(
        circle((x + far * math.cos(a), y + far * math.sin(a)), size, "bd") for a in petals
    ) + circle((x, y), size / 2, "dk")


def _ground() -> str:
    """Soil with roots, for what stands in a bed."""
    out = path(
        [(40, SOIL_Y), (360, SOIL_Y), (360, POT_FOOT), (40, POT_FOOT)], "plate-soil", close=True
    )
    out += path([(40 + 6 * k, SOIL_Y - (k * 5 % 3)) for k in range(54)], "ln")
    for k in range(7):
        x = 140 + k * 20
        out += path(
            [
                (200, SOIL_Y),
                (190 + k * 4, SOIL_Y + 22),
                (x, SOIL_Y + 48),
                (x + (k % 3) * 6 - 6, POT_FOOT - 12),
            ],
            "ln",
        )
    return out


Spots = dict[str, tuple[Point, Point]]
FOOT: Spots = {
    "soil": ((92, 286), (158, 318)),
    "rim": ((62, 326), (122, 328)),
    "holes": ((92, 372), (168, 402)),
    "roots": ((330, 372), (244, 368)),
    "saucer": ((46, 408), (106, 408)),
    "card": ((376, 226), (346, 250)),
}


def _upright() -> tuple[str, Spots]:
    stem = path(
        [
            (196, 318),
            (197, 230),
            (193, 150),
            (197, 76),
            (203, 76),
            (201, 150),
            (205, 230),
            (207, 318),
        ],
        "bd",
        close=True,
    )
    joints = (
        ((200, 250), (146, 226)),
        ((202, 226), (262, 206)),
        ((198, 168), (140, 142)),
        ((200, 152), (258, 130)),
    )
    stalks = "".join(line(a, b, "ln") for a, b in joints)
    leaves = (
        leaf((146, 226), (56, 236), 62)
        + leaf((262, 206), (352, 178), 66)
        + leaf((140, 142), (60, 128), 54)
        + leaf((258, 130), (334, 92), 52)
        + leaf((198, 90), (150, 44), 26, veins=3)
        + leaf((202, 90), (256, 50), 28, veins=3)
        + leaf((200, 96), (204, 22), 20, veins=4)
    )
    art = (
        pot()
        + card()
        + stalks
        + stem
        + leaves
        + line((204, 282), (224, 274), "ln")
        + bloom(226, 274, 9, 6)
    )
    return art, {
        **FOOT,
        "tip": ((290, 26), (216, 34)),
        "furled": ((110, 26), (162, 54)),
        "upper": ((30, 92), (92, 130)),
        "under": ((374, 130), (318, 184)),
        "midrib": ((30, 190), (100, 232)),
        "axil": ((252, 246), (206, 228)),
        "stem": ((160, 278), (197, 272)),
        "flower": ((276, 286), (238, 276)),
    }


def _rosette() -> tuple[str, Spots]:
    fan = [
        ((190, 300), (30, 250), 50),
        ((210, 300), (368, 250), 50),
        ((192, 298), (62, 170), 54),
        ((208, 298), (330, 160), 54),
        ((196, 296), (132, 110), 50),
        ((204, 296), (258, 104), 50),
        ((200, 300), (196, 196), 34),
    ]
    bells = "".join(
        f'<ellipse class="bd" cx="{num(x)}" cy="{num(y)}" rx="11" ry="8"/>'
        for x, y in ((176, 60), (212, 44), (236, 64))
    )
    art = (
        pot()
        + card(352)
        + "".join(leaf(a, b, w) for a, b, w in fan)
        + path([(202, 292), (206, 130), (212, 52)], "ln")
        + bells
    )
    art += path([(208, 96), (178, 62)], "ln") + path([(209, 90), (234, 66)], "ln")
    return art, {
        **FOOT,
        "card": ((382, 206), (362, 232)),
        "crown": ((252, 262), (202, 290)),
        "furled": ((150, 232), (194, 214)),
        "upper": ((30, 140), (96, 200)),
        "under": ((374, 130), (306, 188)),
        "midrib": ((88, 88), (146, 140)),
        "flower": ((274, 34), (246, 58)),
    }


def _orchid() -> tuple[str, Spots]:
    straps = (
        ((196, 300), (44, 262)),
        ((204, 300), (350, 240)),
        ((198, 298), (88, 176)),
        ((204, 298), (310, 172)),
    )
    leaves = "".join(leaf(a, b, 42, veins=2) for a, b in straps)
    bulb = path(
        [(186, 318), (182, 296), (190, 278), (202, 274), (212, 280), (218, 298), (212, 318)],
        "bd",
        close=True,
    )
    bulb += (
        path([(186, 318), (178, 300), (184, 284)], "ln")
        + path([(190, 316), (196, 284)], "fn")
        + path([(206, 316), (206, 284)], "fn")
    )
    spike = path([(202, 280), (208, 200), (196, 120), (222, 60), (268, 40)], "ln")
    blooms = "".join(bloom(x, y, 11, 8) for x, y in ((224, 62), (270, 44), (204, 108)))
    air = path([(184, 316), (150, 308), (132, 330), (112, 336)], "ln") + path(
        [(216, 316), (256, 306), (276, 326)], "ln"
    )
    return pot() + card(352) + leaves + bulb + spike + blooms + air, {
        **FOOT,
        "card": ((382, 206), (362, 232)),
        "tip": ((330, 40), (284, 44)),
        "upper": ((36, 206), (90, 254)),
        "under": ((380, 286), (310, 256)),
        "midrib": ((76, 128), (124, 196)),
        "sheath": ((250, 262), (214, 292)),
        "axil": ((150, 250), (190, 284)),
        "flower": ((150, 72), (194, 100)),
    }


def _cactus() -> tuple[str, Spots]:
    body = path(
        [
            (160, 318),
            (150, 240),
            (152, 140),
            (168, 92),
            (200, 74),
            (232, 92),
            (248, 140),
            (250, 240),
            (240, 318),
        ],
        "bd",
        close=True,
    )
    elbow = [
        (249, 214),
        (276, 204),
        (288, 176),
        (288, 142),
        (298, 128),
        (310, 142),
        (312, 190),
        (300, 226),
        (268, 244),
        (250, 246),
    ]
    arm = path(elbow, "bd", close=True)
    ribs = "".join(
        path([(200 + k * 13, 318), (200 + k * 16, 200), (200 + k * 11, 84 + abs(k) * 7)], "ln")
        for k in (-2, -1, 0, 1, 2)
    )
    spines = ""
    for k in (-2, -1, 0, 1, 2):
        for j in range(8):
            x, y = 200 + k * 15, 112 + j * 25 + (k % 2) * 12
            spines += "".join(
                path([(x, y), (x + 8 * math.cos(a), y + 8 * math.sin(a))], "fn")
                for a in (-2.2, -1.0, 0.3, 2.9)
            )
            spines += f'<circle class="dk" cx="{num(x)}" cy="{num(y)}" r="1.8"/>'
    return pot() + card(352) + arm + body + ribs + spines, {
        **FOOT,
        "card": ((382, 206), (362, 232)),
        "tip": ((270, 44), (208, 80)),
        "axil": ((96, 136), (170, 162)),
        "stem": ((96, 216), (152, 230)),
        "crown": ((300, 278), (242, 306)),
    }


def _head() -> tuple[str, Spots]:
    outer = (
        leaf((196, 312), (44, 262), 96)
        + leaf((204, 312), (356, 250), 96)
        + leaf((196, 306), (70, 158), 92)
        + leaf((204, 306), (326, 150), 92)
    )
    heart = (
        circle((200, 220), 73, "bd")
        + leaf((200, 286), (160, 160), 62)
        + leaf((204, 284), (250, 160), 58)
        + leaf((200, 288), (206, 148), 44)
    )
    return _ground() + card(366, 318) + outer + heart + path(
        [(192, 318), (190, 292), (210, 292), (208, 318)], "bd", close=True
    ), {
        "crown": ((206, 108), (206, 160)),
        "upper": ((40, 132), (98, 186)),
        "under": ((352, 110), (304, 182)),
        "midrib": ((40, 210), (96, 274)),
        "stem": ((262, 336), (210, 308)),
        "soil": ((64, 352), (104, 322)),
        "roots": ((322, 372), (250, 362)),
        "card": ((330, 300), (356, 262)),
    }


def _tray() -> tuple[str, Spots]:
    out = path([(50, 300), (350, 300), (338, 372), (62, 372)], "bd", close=True)
    out += path([(58, 300), (342, 300), (338, 316), (62, 316)], "plate-soil", close=True)
    for k in range(6):
        x, top = 84 + k * 46, 206 + (k * 37 % 40)
        out += path([(x, 302), (x + 2, top)], "ln")
        out += leaf((x + 1, top + 26), (x - 24, top + 6), 16, veins=2) + leaf(
            (x + 1, top + 26), (x + 26, top + 8), 16, veins=2
        )
        out += leaf((x + 2, top + 4), (x - 13, top - 20), 13, veins=2) + leaf(
            (x + 2, top + 4), (x + 17, top - 20), 13, veins=2
        )
        out += path([(x, 304), (x - 6, 322), (x - 2, 344)], "fn") + path(
            [(x, 304), (x + 8, 324), (x + 6, 350)], "fn"
        )
    out += path([(36, 376), (364, 376), (352, 392), (48, 392)], "bd", close=True) + card(366, 300)
    return out, {
        "tip": ((120, 150), (132, 190)),
        "upper": ((40, 190), (70, 226)),
        "under": ((222, 158), (246, 226)),
        "stem": ((300, 262), (270, 276)),
        "soil": ((32, 268), (62, 304)),
        "roots": ((300, 344), (262, 336)),
        "saucer": ((60, 408), (96, 388)),
        "card": ((332, 182), (354, 222)),
    }


BUILDS: dict[str, tuple[Callable[[], tuple[str, Spots]], float]] = {
    "upright": (_upright, 0),
    "rosette": (_rosette, 0),
    "orchid": (_orchid, 0),
    "cactus": (_cactus, 16),
    "head": (_head, 78),
    "tray": (_tray, 120),
}
"""For every build: its drawing with its pins (where each stands, what it points at),
and where the drawing begins.
"""
