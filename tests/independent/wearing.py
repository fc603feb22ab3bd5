"""Life tests of a drive with two spur stages, by an integration along the path of contact and
formulas of its own: nothing of the program is imported. Writes what a tester would: inspections
with readings that err.

Archard: each bit of a flank loses k times the force on it times the way that slides over it. The
force is carried alike by the pairs in contact; mean depth is what was lost over what is touched.
"""

from __future__ import annotations

import math

import numpy as np

ALPHA = math.radians(20.0)


def involute(a):
    return math.tan(a) - a


def geometry(z1, z2, m):
    """(base radii, recess and approach lengths, base pitch) of unshifted gears."""
    r1, r2 = m * z1 / 2, m * z2 / 2
    b1, b2 = r1 * math.cos(ALPHA), r2 * math.cos(ALPHA)
    recess = math.sqrt((r1 + m) ** 2 - b1**2) - r1 * math.sin(ALPHA)
    approach = math.sqrt((r2 + m) ** 2 - b2**2) - r2 * math.sin(ALPHA)
    return b1, b2, recess, approach, math.pi * m * math.cos(ALPHA)


def depths_per_turn(z1, z2, m, width, torque, k1, k2):
    """Mean depths [m] on pinion and wheel for one turn of each, `torque` [N·m] on the pinion."""
    b1, b2, recess, approach, pitch = geometry(z1, z2, m)
    x = np.linspace(-approach, recess, 20001)
    # how many teeth touch when one is at x: those at x + n pitch that are on the path
    n = np.arange(-3, 4)[:, None] * pitch
    pairs = ((x + n >= -approach) & (x + n <= recess)).sum(axis=0)
    force = torque / b1 / width / pairs  # [N/m]
    slides = np.abs(x) * (1 / b1 + 1 / b2)  # [m/m]: way of sliding for a metre along the path
    worn = np.trapezoid(force * slides, x)  # [N/m·m] each time a tooth goes through
    middle1, middle2 = b1 * math.tan(ALPHA), b2 * math.tan(ALPHA)
    touched = [
        ((mid + far) ** 2 - (mid - near) ** 2) / (2 * base)
        for mid, near, far, base in (
            (middle1, approach, recess, b1),
            (middle2, recess, approach, b2),
        )
    ]
    return k1 * worn / touched[0], k2 * worn / touched[1]


def span(z, m, k, thinner=0.0):
    return m * math.cos(ALPHA) * (math.pi * (k - 0.5) + z * involute(ALPHA)) - thinner


def over_pins(z, m, pin, thinner=0.0):
    """Searched: where a pin rests between involutes that are thinner by so much at their base."""
    base = m * z * math.cos(ALPHA) / 2
    # the gap is wider by `thinner` measured along the base circle, half of it on each side
    wanted = involute(ALPHA) + pin / (2 * base) - math.pi / (2 * z) - thinner / (2 * base)
    low, high = 1e-6, 1.2
    for _ in range(200):
        mid = (low + high) / 2
        low, high = (mid, high) if involute(mid) < wanted else (low, mid)
    centre = base / math.cos(low)
    return 2 * centre * (math.cos(math.pi / (2 * z)) if z % 2 else 1.0) + pin


STAGES = ((18, 54, 1e-3, 6e-3), (20, 60, 1e-3, 8e-3))  # none of them undercut
OVER = {18: 3, 54: 7, 20: 3, 60: 7}
PIN = 2.0e-3


def build():
    """The drive as a build file, without friction, so that its torques are those of the ratio."""
    return {
        "version": "sparring.build/1",
        "family": "Worn",
        "stages": [
            {
                "kind": "spur",
                "pinion": z1,
                "wheel": z2,
                "module": f"{1e3 * m} mm",
                "face_width": f"{1e3 * b} mm",
                "friction": "0",
                "material": "POM",
            }
            for z1, z2, m, b in STAGES
        ],
    }


def life_test(seed, looks=6, runs_in=None, first=None):
    """(inspections as a file has them, truth). runs_in: whether it does, None: by a coin; first:
    whether sizes were read when new, None: by a coin.
    """
    rng = np.random.default_rng(seed)
    load, total = rng.uniform(0.3, 1.0), rng.uniform(1e5, 1e6)
    turns = np.append(0.0, np.sort(rng.uniform(0.1, 1.0, looks)) * total)
    turns[-1] = total
    on = rng.random() < 0.5 if runs_in is None else runs_in
    was_read = rng.random() < 0.7 if first is None else first
    extra, until = (rng.uniform(0.5, 3.0), rng.uniform(0.03, 0.4) * total) if on else (0.0, 1.0)
    run = turns + extra * np.minimum(turns, until)
    wanted = rng.uniform(0.03e-3, 0.15e-3)  # worn off the fastest flank in the end
    one = depths_per_turn(*STAGES[0], load / 9, 1.0, 1.0)[0] * 9 * total
    k = wanted / one * np.exp(rng.normal(0, 0.4, 4))
    ratios = (9.0, 3.0, 3.0, 1.0)  # turns of each gear for one of the output
    names = ("stage 1 pinion", "stage 1 wheel", "stage 2 pinion", "stage 2 wheel")
    gears = [(z, *STAGES[s][2:]) for s in (0, 1) for z in STAGES[s][:2]]
    per_turn = []
    for s, torque in ((0, load / 9), (1, load / 3)):
        per_turn += depths_per_turn(*STAGES[s], torque, k[2 * s], k[2 * s + 1])
    depth = np.outer(run, np.array(per_turn) * ratios)  # (looks + 1, 4)
    made = rng.normal(0, 0.02e-3, 4)  # thinner than drawn, all sizes of a gear alike
    u_span, u_pin, u_mass = 0.005e-3, 0.004e-3, 1e-6
    play0 = math.radians(0.6)
    files = []
    for n, t in enumerate(turns):
        sizes, weighings = [], []
        if n or was_read:
            for g, (name, (z, m, b)) in enumerate(zip(names, gears, strict=True)):
                thin = depth[n, g] + made[g]
                for kind, true, u in (
                    ("span", span(z, m, OVER[z], thin), u_span),
                    ("over pins", over_pins(z, m, PIN, thin), u_pin),
                ):
                    read = true + rng.normal(0, u, 1)
                    sizes.append(
                        {
                            "part": name,
                            "kind": kind,
                            **({"over": OVER[z]} if kind == "span" else {"pin": "2 mm"}),
                            "readings": [f"{1e3 * x:.7f} mm" for x in read],
                            "accuracy": f"{2e3 * u} mm",
                        }
                    )
                base, other, recess, approach, _ = geometry(*STAGES[g // 2][:2], m)
                own, near, far = (
                    (base, approach, recess) if g % 2 == 0 else (other, recess, approach)
                )
                mid = own * math.tan(ALPHA)
                area = z * b * ((mid + far) ** 2 - (mid - near) ** 2) / (2 * own)
                mass = 0.005 - 1410.0 * area * depth[n, g] + rng.normal(0, u_mass)
                weighings.append(
                    {"part": name, "readings": [f"{1e3 * mass:.6f} g"], "accuracy": "0.002 g"}
                )
        gap = [
            (depth[n, 2 * s] + depth[n, 2 * s + 1])
            / (STAGES[s][2] * STAGES[s][1] / 2 * math.cos(ALPHA))
            / (3.0 if s == 0 else 1.0)
            for s in (0, 1)
        ]
        play = play0 + sum(gap) + rng.normal(0, math.radians(0.01))
        work = 2 * math.pi * load * t
        files.append(
            {
                "turns": f"{t * rng.normal(1, 0.002):.3f} ± {0.004 * t:.3f}",
                "work": f"{work * rng.normal(1, 0.01):.6g} ± {0.02 * work:.6g} J",
                "sizes": sizes,
                "weighings": weighings,
                "play": f"{math.degrees(play):.6f} ± 0.02 deg",
            }
        )
    truth = {
        "k": dict(zip(names, k, strict=True)),
        "thinning": dict(zip(names, depth[-1], strict=True)),
        "rate": dict(zip(names, np.array(per_turn) * ratios, strict=True)),
        "total": total,
        "load": load,
    }
    return {"inspections": files, "tolerance": "0.04 mm"}, truth
