#!/usr/bin/env python3
"""Reference for tests/rig/motor_test.cpp: a driver with Bl(x), Kms(x), Le(x) in a vented box, driven
by a sine, integrated by SciPy's LSODA from the equations as they stand in the literature. Prints the
harmonics of the coil's speed. Run with SciPy 1.10: python3 motor.py"""
import numpy as np
from scipy.integrate import solve_ivp

re, le, le2, re2 = 5.6, 0.25e-3, 0.6e-3, 2.6
bl0, mms, cms, rms, sd = 6.5, 0.0135, 1.06e-3, 0.85, 0.0132
rho, c = 1.204, 343.0
v, fb, ql, qa, qp = 0.014, 48.0, 9.0, 60.0, 60.0
wb = 2 * np.pi * fb
ca = v / (rho * c * c)
ra, gl = 1 / (wb * ca * qa), wb * ca / ql
map_, rap = 1 / (wb * wb * ca), wb / (wb * wb * ca) / qp
xt, kt, x0, k0, share = 0.0045, 0.005, 0.0004, -0.0003, 0.15


def bl(x):
    return bl0 * np.exp(-0.198 * (((x - x0) / xt) ** 2 - (x0 / xt) ** 2))


def kms(x):
    return (1 + 0.33 * ((x - k0) / kt) ** 2) / (1 + 0.33 * (k0 / kt) ** 2) / cms


def l(x):
    return le * (1 - share * np.tanh(x / xt))


def dl(x):
    return -le * share / xt / np.cosh(x / xt) ** 2


def run(volts, f):
    w = 2 * np.pi * f

    def rhs(t, s):
        i, i2, x, u, q, up = s
        e = volts * np.sin(w * t)
        eddy = re2 * (i - i2)
        di = (e - re * i - eddy - bl(x) * u - dl(x) * u * i) / l(x)
        din = -sd * u - up
        p = (q / ca + ra * din) / (1 + ra * gl)
        dv = (bl(x) * i + 0.5 * i * i * dl(x) - rms * u - kms(x) * x + sd * p) / mms
        return [di, eddy / le2, u, dv, din - p * gl, (p - rap * up) / map_]

    periods = 40
    t_end = periods / f
    t = np.linspace(t_end - 8 / f, t_end, 8 * 512, endpoint=False)
    out = solve_ivp(rhs, (0, t_end), [0] * 6, method="LSODA", t_eval=t, rtol=1e-9, atol=1e-12)
    spec = np.abs(np.fft.rfft(out.y[3])) / len(t) * 2
    return [spec[8 * n] for n in (1, 2, 3)], np.max(np.abs(out.y[2]))


for volts, f in ((4.0, 30.0), (12.0, 30.0), (12.0, 80.0)):
    h, x = run(volts, f)
    print(f"{volts} V {f} Hz: v1 {h[0]:.6f} m/s, h2 {h[1] / h[0]:.6f}, h3 {h[2] / h[0]:.6f}, travel {x * 1e3:.4f} mm")
