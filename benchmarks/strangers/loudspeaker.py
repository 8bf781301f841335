"""Loudspeakers that no part of the program made, in NumPy: what a microphone and an impedance jig
would find of them. Lumped circuits with creep, coils of half-order, pipes with friction, boxes as
sums of waves; pistons; edges as rings of sources; networks as ladders that an optimiser has found.

SI units; time dependence exp(+j omega t). Nothing here is taken from the program, and nothing of
the program was set on its seeds unless docs/accuracy.md says so.
"""

from dataclasses import dataclass, field, replace

import numpy as np
from scipy.special import erf, j1

RHO = 1.2
C = 343.2


def piston(ka_sin):
    """Far field of a rigid piston re the axis; ka_sin = k a sin(angle)."""
    x = np.maximum(np.abs(ka_sin), 1e-6)
    return 2.0 * j1(x) / x


def resonance(f, f0, q):
    """A second-order low-pass of gain 1: what hangs on a spring."""
    u = f / f0
    return 1.0 / (1.0 - u * u + 1j * u / q)


@dataclass
class Driver:
    name: str
    role: str
    sd: float  # m^2
    fs: float
    qms: float
    mms: float
    bl: float
    re: float
    coil: float = 0.4e-3  # H at 1 kHz
    coil_power: float = 0.7  # of frequency: 1 is a plain inductance
    creep: float = 0.06
    x: float = 0.0
    y: float = 0.0
    z: float = 0.0
    behind: float = 0.0  # m^3 of its own closed rear, 0: none
    surround: tuple = None  # share of the mass, Hz, Q, share of the area
    bends: list = field(default_factory=list)  # Hz, Q, gain of the sound, share of the mass

    @property
    def radius(self):
        return np.sqrt(self.sd / np.pi)

    def mechanical(self, f):
        w = 2.0 * np.pi * f
        mass = self.mms
        cms = 1.0 / (mass * (2.0 * np.pi * self.fs) ** 2)
        cms = cms * (1.0 - self.creep * np.log(1j * np.maximum(f, 1.0) / self.fs) / np.log(10.0))
        rms = 2.0 * np.pi * self.fs * mass / self.qms
        inert = 1j * w * mass * np.ones_like(f)
        for f0, q, _, share in self.bends:
            inert = inert + 1j * w * mass * share * resonance(f, f0, q)
        if self.surround:
            share, f0, q, _ = self.surround
            inert = inert + 1j * w * mass * share * (resonance(f, f0, q) - 1.0)
        stiff = 1.0 / (1j * w * cms)
        if self.behind:
            stiff = stiff + RHO * C * C * self.sd**2 / self.behind / (1j * w)
        return rms + inert + stiff

    def shape(self, f):
        """What leaves the diaphragm, re a rigid one of the same coil velocity."""
        out = np.ones_like(f, dtype=complex)
        if self.surround:
            _, f0, q, area = self.surround
            out += area * (resonance(f, f0, q) - 1.0)
        for f0, q, gain, _ in self.bends:
            u = f / f0
            out += gain * (u * u) * resonance(f, f0, q) / (1.0 + u * u)
        return out

    def electrical(self, f):
        coil = 2.0 * np.pi * 1e3 * self.coil * (1j * f / 1e3) ** self.coil_power
        return self.re + coil


@dataclass
class Box:
    volume: float
    height: float
    width: float
    depth: float
    wave_q: float = 9.0  # of its standing waves: lined
    loss: float = 60.0  # Q of what absorbs, at the tuning or resonance
    leak: float = 0.0  # Q of a leak there, 0: none
    driver_at: float = 0.4  # share of the height
    port_at: float = 0.85
    panel: tuple = None  # Hz, Q, loudness

    def between(self, f, a, b):
        """Acoustic impedance from a source at the share a of the height to one at b, no losses."""
        w = 2.0 * np.pi * f
        total = np.zeros_like(f, dtype=complex)
        for n in (1, 2, 3):
            w0 = np.pi * n * C / self.height
            total += (2.0 * np.cos(np.pi * n * a) * np.cos(np.pi * n * b)
                      / (w0 * w0 - w * w + 1j * w * w0 / self.wave_q))
        w0 = np.pi * C / self.depth
        total += 1.1 / (w0 * w0 - w * w + 1j * w * w0 / min(0.7 * self.wave_q, 20.0))
        return total * 1j * w * RHO * C * C / self.volume


@dataclass
class Port:
    area: float
    length: float
    q: float = 40.0  # of its pipe's resonance
    resist: float = 0.0  # Q of what stands in it, at the tuning; 0: nothing
    front: bool = False
    x: float = 0.0
    y: float = 0.0

    def tuned(self, volume):
        a = np.sqrt(self.area / np.pi)
        return C / (2 * np.pi) * np.sqrt(self.area / (volume * (self.length + 1.46 * a)))

    def ends(self, f, fb):
        """Impedance seen from the box, and what leaves it per flow into it."""
        w = 2.0 * np.pi * f
        a = np.sqrt(self.area / np.pi)
        z0 = RHO * C / self.area
        gamma = 1j * w / C * (1.0 - 0.5j / self.q)
        outside = 1j * w * RHO * 0.61 * a / self.area + RHO * w * w / (2 * np.pi * C)
        if self.resist:
            outside = outside + 2 * np.pi * fb * RHO * (self.length + 1.46 * a) / self.area / self.resist
        ch, sh = np.cosh(gamma * self.length), np.sinh(gamma * self.length)
        flow = ch + outside / z0 * sh
        pressure = ch * outside + z0 * sh
        return pressure / flow + 1j * w * RHO * 0.85 * a / self.area, 1.0 / flow


@dataclass
class Radiator:
    sd: float
    mass: float
    fs: float
    q: float = 8.0

    def impedance(self, f):
        w = 2 * np.pi * f
        w0 = 2 * np.pi * self.fs
        return self.mass / self.sd**2 * (1j * w + w0 * w0 / (1j * w) + w0 / self.q)


@dataclass
class Alive:
    """What a driver does per volt at its terminals."""

    current: np.ndarray  # A
    cone: np.ndarray  # m^3/s, its shape in it
    vent: np.ndarray  # of port or radiator
    others: np.ndarray  # of leak and panel


def driven(d, f, box=None, vent=None):
    """A driver in free air, or in a box with a port, a radiator or none."""
    w = 2 * np.pi * f
    ze = d.electrical(f)
    zm = d.mechanical(f)
    none = np.zeros_like(f, dtype=complex)
    if box is None:
        v = d.bl / (ze * (zm + d.bl**2 / ze))
        i = 1.0 / (ze + d.bl**2 / zm)
        return Alive(i, v * d.sd * d.shape(f), none, none)
    cab = box.volume / (RHO * C * C)
    if isinstance(vent, Port):
        at = vent.tuned(box.volume)
    elif isinstance(vent, Radiator):
        mass = vent.mass / vent.sd**2
        at = np.sqrt(1.0 / (mass * cab)) / (2 * np.pi)
    else:
        at = d.fs * np.sqrt(1 + d.sd**2 / (cab * d.mms * (2 * np.pi * d.fs) ** 2))
    w0 = 2 * np.pi * at
    flows = 1j * w * cab + w0 * cab / box.loss * (f / at) ** 0.3
    leak = np.zeros_like(f, dtype=complex)
    if box.leak:
        leak = w0 * cab / box.leak / (1.0 + 1j * f / 400.0)
    panel = np.zeros_like(f, dtype=complex)
    if box.panel:
        f0, q, loud = box.panel
        panel = loud * 1j * w * cab * resonance(f, f0, q)
    lumped = 1.0 / (flows + leak + panel)
    dd = lumped + box.between(f, box.driver_at, box.driver_at)
    load = dd
    share = none
    if vent is not None:
        dp = lumped + box.between(f, box.driver_at, box.port_at)
        pp = lumped + box.between(f, box.port_at, box.port_at)
        if isinstance(vent, Port):
            zp, out = vent.ends(f, at)
        else:
            zp, out = vent.impedance(f), 1.0
        load = dd - dp * dp / (zp + pp)
        share = dp / (zp + pp) * out
    total = zm + d.sd**2 * load
    i = 1.0 / (ze + d.bl**2 / total)
    v = d.bl * i / total
    pressure = load * d.sd * v
    return Alive(i, v * d.sd * d.shape(f), -share * d.sd * v, -pressure * (leak + panel))


@dataclass
class Front:
    """A box's front, its origin at the middle unless it says otherwise."""

    left: float
    right: float
    top: float
    bottom: float
    round_: float = 0.004

    def ring(self, x, y, count=144):
        """Ways from a source to the edges, and where they end."""
        phi = 2 * np.pi * (np.arange(count) + 0.5) / count
        dx, dy = np.cos(phi), np.sin(phi)
        with np.errstate(divide="ignore"):
            to_x = np.where(dx > 0, (self.right - x) / dx, (-self.left - x) / dx)
            to_y = np.where(dy > 0, (self.top - y) / dy, (-self.bottom - y) / dy)
        way = np.minimum(to_x, to_y)
        return way, x + way * dx, y + way * dy

    @property
    def width(self):
        return self.left + self.right


def microphone(h_deg, v_deg, distance):
    h, v = np.radians(h_deg), np.radians(v_deg)
    if abs(v_deg) > 0:
        return distance * np.array([0.0, np.sin(v), np.cos(v)])
    return distance * np.array([np.sin(h), 0.0, np.cos(h)])


def heard(f, flow, at, radius, front, mic, distance, behind=False, small=False):
    """Pressure at the microphone of a flow through the front (or the back), flight time of
    `distance` out."""
    k = 2 * np.pi * f / C
    place = np.array(at, dtype=float)
    way = mic - place
    r = np.linalg.norm(way)
    cos = way[2] / r
    if behind:
        cos = -cos
    sin = np.sqrt(max(0.0, 1.0 - cos * cos))
    free = 1j * 2 * np.pi * f * RHO * flow / (2 * np.pi)
    if front is None:
        return free * np.exp(-1j * k * (r - distance)) / r * piston(k * radius * sin)
    size = front.width
    seen = 0.5 * (1.0 + erf(cos * np.sqrt(k * size) / 1.1))
    out = seen * piston(k * radius * sin) * np.exp(-1j * k * (r - distance)) / r
    to, ex, ey = front.ring(place[0], place[1])
    edge = np.stack([ex, ey, np.zeros_like(ex)], axis=1)
    rest = np.linalg.norm(mic - edge, axis=1)
    turn = np.exp(-1j * np.outer(k, to + rest - distance)) / rest
    soft = 1.0 / (1.0 + (k * front.round_) ** 2)
    out = out + (0.5 - seen) * soft * piston(k * radius * 0.9) * turn.mean(axis=1)
    return free * out


def near(f, flow, radius, other=None, apart=0.3):
    """At the middle of a piston, and what a source further off adds."""
    k = 2 * np.pi * f / C
    velocity = flow / (np.pi * radius**2)
    p = RHO * C * velocity * (1.0 - np.exp(-1j * k * radius))
    if other is not None:
        p = p + 1j * 2 * np.pi * f * RHO * other / (2 * np.pi * apart) * np.exp(-1j * k * apart)
    return p


@dataclass
class Network:
    """Two-way ladders: low  -Ls-+-  with a shunt of C and R; high -R-Cs-+- with a shunt L."""

    values: np.ndarray  # L1 H, C1 F, R1 ohm, C2 F, L2 H, R2 ohm
    flip: float = 1.0
    trap: tuple = None  # Hz, Q, ohm in the low branch

    def branches(self, f, z_low, z_high):
        """Voltage at each driver per volt, and the load."""
        w = 2j * np.pi * f
        l1, c1, r1, c2, l2, r2 = np.abs(self.values)
        shunt = r1 + 1 / (w * c1)
        par = z_low * shunt / (z_low + shunt)
        series = w * l1 + 0.25
        if self.trap:
            f0, q, ohm = self.trap
            u = f / f0
            series = series + ohm / (1.0 + 1j * q * (u - 1.0 / u))
        low = par / (par + series)
        coil = w * l2 + 0.3
        par2 = z_high * coil / (z_high + coil)
        s2 = r2 + 1 / (w * c2)
        high = par2 / (par2 + s2)
        load = 1.0 / (1.0 / (series + par) + 1.0 / (s2 + par2))
        return low, high * self.flip, load


def copy(thing, **changes):
    return replace(thing, **changes)
