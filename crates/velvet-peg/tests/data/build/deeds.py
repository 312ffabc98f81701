#!/usr/bin/env python3
"""Made-up deeds with their closures and areas, reckoned with 40 digits and by other formulas than
the library's: segments of curves by integrating along the arc. Writes deeds.csv and
deeds-known.csv beside itself. Needs mpmath."""

import csv
import os
import random

from mpmath import mp, mpf, pi, sin, cos, atan2, sqrt, radians, quad

mp.dps = 40
random.seed(47120)
FOOT = mpf(1200) / 3937  # the unit of EPSG:2285
UNITS = {"": FOOT, "ftUS": FOOT, "m": mpf(1), "chUS": 66 * FOOT, "linkUS": 66 * FOOT / 100, "ft-intl": mpf("0.3048")}


def rounded_angle(degrees, step):
    """Degrees rounded to so many parts of a second, as (degrees, minutes, seconds)."""
    seconds = int(round(float(degrees) * 3600 / step)) * step
    return int(seconds // 3600), int(seconds % 3600 // 60), seconds % 60


def value(dms):
    return mpf(dms[0]) + mpf(dms[1]) / 60 + mpf(dms[2]) / 3600


def direction(azimuth):
    """A text, and the azimuth that it says."""
    azimuth = azimuth % 360
    if random.random() < 0.25:
        if random.random() < 0.5:
            text = f"{float(azimuth):.4f}"
            return text, mpf(text)
        dms = rounded_angle(azimuth, 1)
        return f"{dms[0]}°{dms[1]:02}'{dms[2]:02}\"", value(dms)
    north = azimuth <= 90 or azimuth >= 270
    east = azimuth <= 180
    angle = azimuth if azimuth <= 90 else 180 - azimuth if azimuth <= 180 else azimuth - 180 if azimuth <= 270 else 360 - azimuth
    dms = rounded_angle(angle, 1)
    n, e = "N" if north else "S", "E" if east else "W"
    text = random.choice([
        f"{n} {dms[0]:02}°{dms[1]:02}'{dms[2]:02}\" {e}",
        f"{n}{dms[0]:02}-{dms[1]:02}-{dms[2]:02}{e}",
        f"{n} {dms[0]} {dms[1]} {dms[2]} {e}",
        f"{'North' if north else 'South'} {dms[0]:02}° {dms[1]:02}' {dms[2]:02}\" {'East' if east else 'West'}",
    ])
    said = value(dms)
    said = said if north and east else 360 - said if north else 180 - said if east else 180 + said
    return text, said


def length(feet):
    """A text, and the feet that it says."""
    unit = random.choice(["", "", "", "", "ftUS", "m", "chUS", "linkUS", "ft-intl"])
    digits = {"chUS": 4, "m": 3, "linkUS": 2}.get(unit, 2)
    number = f"{float(feet * FOOT / UNITS[unit]):.{digits}f}"
    return f"{number} {unit}".strip(), mpf(number) * UNITS[unit] / FOOT


def star():
    count = random.randint(4, 9)
    corners = []
    for n in range(count):
        angle = -2 * pi * (n + mpf(random.uniform(0, 0.7))) / count
        radius = mpf(random.uniform(200, 900))
        corners.append((radius * cos(angle), radius * sin(angle)))
    return corners


def parcel(curved):
    """Rows of a table, and the courses that they say: (azimuth of the chord, chord, length along,
    radius and central angle or none, +1 for a turn to the right)."""
    corners = star()
    rows, said, heading = [], [], None
    for n, a in enumerate(corners):
        b = corners[(n + 1) % len(corners)]
        dx, dy = b[0] - a[0], b[1] - a[1]
        azimuth, chord = (atan2(dx, dy) * 180 / pi) % 360, sqrt(dx * dx + dy * dy)
        if curved and n % 3 == 1:
            right = random.choice([1, -1])
            delta = mpf(random.uniform(15, 230))
            tangent = random.random() < 0.4
            dms = rounded_angle(delta, 1)
            delta = value(dms)
            radius_text, radius = length(chord / (2 * sin(radians(delta / 2))))
            text, chord_azimuth = ("", (heading + right * delta / 2) % 360) if tangent else direction(azimuth)
            arc = random.random() < 0.3
            row = ["", text, "", radius_text, f"{dms[0]}°{dms[1]:02}'{dms[2]:02}\"", "right" if right == 1 else "left"]
            if arc:
                # The arc in place of the central angle, as exactly as deeds never have it.
                feet = radius * radians(delta)
                row[2], row[4] = mp.nstr(feet, 25), ""
            elif right == -1 and random.random() < 0.5:
                row[3], row[5] = "-" + radius_text, ""
            rows.append(row)
            said.append((chord_azimuth, 2 * radius * sin(radians(delta / 2)), radius * radians(delta), delta, right))
            heading = chord_azimuth + right * delta / 2
        else:
            (bearing, azimuth), (distance, feet) = direction(azimuth), length(chord)
            rows.append(["", bearing, distance, "", "", ""])
            said.append((azimuth, feet, feet, None, 0))
            heading = azimuth
    return rows, said


def reckon(said, factor, turned):
    x, y, corners, run = mpf(0), mpf(0), [(mpf(0), mpf(0))], mpf(0)
    along = [mpf(0)]
    for azimuth, chord, by, _, _ in said:
        azimuth = radians(azimuth + turned)
        x, y, run = x + factor * chord * sin(azimuth), y + factor * chord * cos(azimuth), run + factor * by
        corners.append((x, y))
        along.append(run)
    adjusted = [(cx - x * s / run, cy - y * s / run) for (cx, cy), s in zip(corners, along)]

    def area(points):
        total = mpf(0)
        ring = points + [points[0]]
        for a, b in zip(ring, ring[1:]):
            total += (a[0] * b[1] - b[0] * a[1]) / 2
        for (_, _, _, delta, right), a, b in zip(said, points, points[1:]):
            if delta is None:
                continue
            chord = sqrt((b[0] - a[0]) ** 2 + (b[1] - a[1]) ** 2)
            d = radians(delta)
            radius = chord / (2 * sin(d / 2))
            # Between arc and chord, in the frame of the chord: the integral of the height over it.
            part = quad(lambda t: radius * (cos(t) - cos(d / 2)) * radius * cos(t), [-d / 2, 0, d / 2])
            total -= right * part
        return abs(total)

    return x, y, run, area(corners), area(adjusted)


def main():
    here = os.path.dirname(os.path.abspath(__file__))
    with open(os.path.join(here, "deeds.csv"), "w", newline="") as table, open(os.path.join(here, "deeds-known.csv"), "w", newline="") as known:
        table, known = csv.writer(table, lineterminator="\n"), csv.writer(known, lineterminator="\n")
        table.writerow(["parcel", "bearing", "distance", "radius", "delta", "turn"])
        known.writerow(["parcel", "combined_factor", "rotate_deg", "courses", "dx", "dy", "perimeter", "area", "area_adjusted"])
        for number in range(36):
            rows, said = parcel(number % 2 == 1)
            name = f"D-{number + 1:02}"
            for row in rows:
                table.writerow([name] + row[1:])
            for factor, turned in [(mpf(1), mpf(0)), (mpf("0.99987"), mpf("-1.25"))]:
                found = reckon(said, factor, turned)
                known.writerow([name, factor, turned, len(said)] + [mp.nstr(v, 20) for v in found])


main()
