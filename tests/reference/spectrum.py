#!/usr/bin/python3
"""Prints reference values for tests/acoustics/signal: windows and a transform by SciPy. Run by hand; the numbers
stand in the tests with SciPy's version beside them."""
import numpy as np, scipy
from scipy.signal import get_window
from scipy.signal.windows import tukey, hann, blackmanharris

np.set_printoptions(precision=17)
print("scipy", scipy.__version__)
print("hann 7", hann(7, sym=True).tolist())
print("blackmanharris 9", blackmanharris(9, sym=True).tolist())
print("tukey 11 0.5", tukey(11, 0.5, sym=True).tolist())
n = np.arange(15)
x = np.sin(0.3 * n * n) + 0.1 * n
print("rfft", [(z.real, z.imag) for z in scipy.fft.rfft(x).tolist()])
