#!/usr/bin/env python3
"""Makes the vectors beside this file with SciPy and NumPy. Run by hand when a vector is added; the results are committed.

Each vector is JSON: what went in (short, rounded to 1e-9) and what the reference library says.
"""
import json
import pathlib

import numpy as np
import scipy
from scipy import signal

HERE = pathlib.Path(__file__).parent
RNG = np.random.default_rng(20260101)


def write(name, **content):
    content["made_with"] = f"scipy {scipy.__version__}, numpy {np.__version__}"
    (HERE / f"{name}.json").write_text(json.dumps(content, indent=None) + "\n")


def rounded(x):
    return [round(float(v), 9) for v in x]


# Plain cross-correlation of two short noises by scipy.signal.correlate: lag of b against a.
a = RNG.standard_normal(400) * 0.1
b = np.roll(a, 23) * -0.7 + RNG.standard_normal(400) * 0.005
c = signal.correlate(b, a, mode="full", method="direct")
lags = signal.correlation_lags(len(b), len(a), mode="full")
best = int(np.argmax(np.abs(c)))
write("correlate", a=rounded(a), b=rounded(b), lag=int(lags[best]), sign=int(np.sign(c[best])))

# Normalised correlation coefficient without mean removal.
x, y = RNG.standard_normal(300), RNG.standard_normal(300)
y = 0.6 * x + 0.8 * y
write(
    "correlation",
    x=rounded(x * 0.1),
    y=rounded(y * 0.1),
    correlation=float(np.dot(x, y) / np.sqrt(np.dot(x, x) * np.dot(y, y))),
)

# A band-limited noise moved by a fraction of a frame, in the frequency domain: exact for a periodic signal.
n = 1024
spectrum = np.zeros(n // 2 + 1, complex)
spectrum[1 : int(0.41 * n)] = np.exp(2j * np.pi * RNG.random(int(0.41 * n) - 1))
noise = np.fft.irfft(spectrum, n)
noise /= np.max(np.abs(noise)) * 2
moved = np.fft.irfft(np.fft.rfft(noise) * np.exp(-2j * np.pi * np.arange(n // 2 + 1) / n * 2.37), n)
write("fractional", period=rounded(noise), shift=2.37, moved=rounded(moved))

# Magnitude-squared coherence of two noises that share half their power, by Welch's method (scipy.signal.coherence).
common, own_a, own_b = RNG.standard_normal((3, 64 * 256))
f, cxy = signal.coherence(common + own_a, common + own_b, nperseg=256, noverlap=0, window="boxcar", detrend=False)
write("coherence", mean=float(np.mean(cxy[1:-1])), expected=0.25, segments=64)

# Kaiser window, beta 11.
write("kaiser", beta=11.0, x=rounded(np.linspace(-1, 1, 41)), w=rounded(np.kaiser(41, 11.0)))

# Resampling 44.1 to 48 kHz: a sine stays a sine; the reference is the formula itself.
t = np.arange(480) / 48000
write("sine_48k", hz=997.0, samples=rounded(0.5 * np.sin(2 * np.pi * 997.0 * t)))
