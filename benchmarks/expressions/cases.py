"""Thirty expressions of this job's kinds, each with Python written by hand that does the same, and the data they read."""

from collections.abc import Callable
from typing import Any, NamedTuple

Data = dict[str, Any]


class Case(NamedTuple):
    """An expression, and hand-written Python for it."""

    kind: str
    text: str
    python: Callable[[Data], Any]


def machines(count: int) -> list[Data]:
    """Objects to be filtered."""
    sizes, zones = ("xs", "s", "m", "l"), ("valley", "middle", "summit")
    return [
        {
            "name": f"alp-live-{number:03d}",
            "size": sizes[number % 4],
            "zone": zones[number % 3],
            "copies": number % 7,
            "public": number % 11 == 0,
            "disks": [
                {"name": "a", "gigabytes": 20 + number, "encrypted": number % 5 != 0},
                {"name": "b", "gigabytes": 8, "encrypted": True},
            ],
            "tags": {"line": "alp", "owner": "operations"} if number % 9 else {"line": "alp"},
        }
        for number in range(count)
    ]


DATA: Data = {
    "line": "alp",
    "setting": "live",
    "owner": "Upper Valley Operations",
    "count": 5,
    "limit": 40,
    "telemetry": True,
    "zone": "summit",
    "station": {"code": "kes", "name": "Kestrel Valley", "zone": "valley", "gates": 6},
    "stations": [
        {"code": c, "zone": z} for c, z in (("kes", "valley"), ("bri", "middle"), ("fal", "middle"), ("hut", "summit"), ("pea", "summit"))
    ],
    "sizes": {
        "sandbox": {"gate": "xs", "copies": 1},
        "rehearsal": {"gate": "s", "copies": 2},
        "live": {"gate": "m", "copies": 4},
    },
    "ports": [22, 80, 443, 8443],
    "codes": ["kes", "bri", "fal", "hut", "pea"],
    "machines": machines(100),
    "self": {
        "name": "alp-live-gates",
        "size": "m",
        "encrypted": True,
        "backup_days": 7,
        "tags": {"line": "alp", "setting": "live", "owner": "x"},
    },
    "wanted": ["line", "setting", "owner"],
}

CASES: tuple[Case, ...] = (
    Case("text", "line + '-' + setting", lambda d: d["line"] + "-" + d["setting"]),
    Case("text", "line + '-' + setting + '-gates-' + station.code", lambda d: d["line"] + "-" + d["setting"] + "-gates-" + d["station"]["code"]),
    Case("text", "'https://' + line + '.example/v' + string(count)", lambda d: "https://" + d["line"] + ".example/v" + str(d["count"])),
    Case("text", "line.startsWith('a') && line.endsWith('p')", lambda d: d["line"].startswith("a") and d["line"].endswith("p")),
    Case("text", "self.name.startsWith(line + '-' + setting + '-')", lambda d: d["self"]["name"].startswith(d["line"] + "-" + d["setting"] + "-")),
    Case("text", "station.name.contains('Valley')", lambda d: "Valley" in d["station"]["name"]),
    Case("lookup", "sizes[setting].gate", lambda d: d["sizes"][d["setting"]]["gate"]),
    Case("lookup", "sizes[setting].copies * size(stations)", lambda d: d["sizes"][d["setting"]]["copies"] * len(d["stations"])),
    Case("lookup", "sizes['live'].gate == 'm'", lambda d: d["sizes"]["live"]["gate"] == "m"),
    Case("lookup", "setting in sizes", lambda d: d["setting"] in d["sizes"]),
    Case("lookup", "stations[2].code", lambda d: d["stations"][2]["code"]),
    Case("lookup", "has(station.gates) ? station.gates : count", lambda d: d["station"]["gates"] if "gates" in d["station"] else d["count"]),
    Case("number", "count * 2 + 1", lambda d: d["count"] * 2 + 1),
    Case("number", "count >= 1 && count <= limit", lambda d: 1 <= d["count"] <= d["limit"]),
    Case("number", "20 * size(stations)", lambda d: 20 * len(d["stations"])),
    Case("condition", "setting == 'live' ? 336 : 24", lambda d: 336 if d["setting"] == "live" else 24),
    Case("condition", "setting == 'sandbox' ? 'xs' : (setting == 'rehearsal' ? 's' : (telemetry ? 'l' : 'm'))",
         lambda d: "xs" if d["setting"] == "sandbox" else ("s" if d["setting"] == "rehearsal" else ("l" if d["telemetry"] else "m"))),
    Case("condition", "setting != 'sandbox' || size(stations) > 3", lambda d: d["setting"] != "sandbox" or len(d["stations"]) > 3),
    Case("condition", "telemetry && zone in ['summit', 'middle'] && !(setting == 'sandbox')",
         lambda d: d["telemetry"] and d["zone"] in ["summit", "middle"] and d["setting"] != "sandbox"),
    Case("condition", "self.encrypted && self.backup_days >= 7 && self.size in ['s', 'm', 'l']",
         lambda d: d["self"]["encrypted"] and d["self"]["backup_days"] >= 7 and d["self"]["size"] in ["s", "m", "l"]),
    Case("list", "stations.map(s, s.code)", lambda d: [s["code"] for s in d["stations"]]),
    Case("list", "stations.filter(s, s.zone != 'valley').map(s, s.code)", lambda d: [s["code"] for s in [s for s in d["stations"] if s["zone"] != "valley"]]),
    Case("list", "wanted.all(t, t in self.tags)", lambda d: all(t in d["self"]["tags"] for t in d["wanted"])),
    Case("list", "ports.exists(p, p == 22)", lambda d: any(p == 22 for p in d["ports"])),
    Case("list", "stations.all(a, stations.exists_one(b, b.code == a.code))",
         lambda d: all(sum(b["code"] == a["code"] for b in d["stations"]) == 1 for a in d["stations"])),
    Case("filter", "machines.filter(m, m.zone == 'summit')", lambda d: [m for m in d["machines"] if m["zone"] == "summit"]),
    Case("filter", "machines.filter(m, m.size in ['m', 'l'] && m.copies > 3).map(m, m.name)",
         lambda d: [m["name"] for m in [m for m in d["machines"] if m["size"] in ["m", "l"] and m["copies"] > 3]]),
    Case("filter", "machines.all(m, m.disks.all(d, d.gigabytes >= 8))", lambda d: all(all(disk["gigabytes"] >= 8 for disk in m["disks"]) for m in d["machines"])),
    Case("filter", "machines.exists(m, m.public && m.name == 'alp-live-099')", lambda d: any(m["public"] and m["name"] == "alp-live-099" for m in d["machines"])),
    Case("filter", "machines.filter(m, !has(m.tags.owner)).size()", lambda d: len([m for m in d["machines"] if "owner" not in m["tags"]])),
)  # fmt: skip
