"""A small session by an independent room simulator, with SciPy's own answer for each direct path.

Needs numpy, scipy and pyroomacoustics (Scheibler, Bezzam, Dokmanic, ICASSP 2018). Writes session.wav (four microphones, 24 kHz,
16 bit; the third is wired inverted) and session.json: the direct paths by geometry, and by the peak of SciPy's correlation of
the dry sound with an anechoic rendering.
"""

import json
from pathlib import Path

import numpy as np
import pyroomacoustics as pra
from scipy.io import wavfile
from scipy.signal import correlate, correlation_lags

RATE = 24_000
SECONDS = 6
SOURCES = [[1.6, 3.4, 0.9], [3.6, 3.9, 1.0], [5.6, 3.3, 0.8]]
MICS = [[1.75, 3.3, 1.0], [3.5, 3.75, 1.1], [5.5, 3.15, 0.9], [3.4, 1.2, 2.1]]
INVERTED = 2
here = Path(__file__).parent
rng = np.random.default_rng(11)


def strikes(offset):
    """Decaying noise and tones, every half second, one source after the other."""
    x = np.zeros(RATE * SECONDS)
    t = np.arange(int(RATE * 0.14)) / RATE
    for at in np.arange(0.1 + offset, SECONDS - 0.3, 0.5):
        start = int((at + rng.uniform(-0.01, 0.01)) * RATE)
        hz = rng.uniform(150, 400)
        burst = rng.standard_normal(t.size) * np.exp(-t * 120) + np.sin(2 * np.pi * hz * t) * np.exp(-t * 25)
        x[start : start + t.size] += burst * rng.uniform(0.5, 1.0)
    return x


def render(absorption, order):
    room = pra.ShoeBox([7.2, 5.4, 3.0], fs=RATE, materials=pra.Material(absorption), max_order=order)
    for place, sound in zip(SOURCES, dry):
        room.add_source(place, signal=sound)
    room.add_microphone_array(np.array(MICS).T)
    return room


dry = [strikes(i / 6) for i in range(len(SOURCES))]
room = render(0.35, 8)
room.simulate()
sound = room.mic_array.signals[:, : RATE * SECONDS]
sound = sound / np.abs(sound).max() * 0.8 + rng.standard_normal(sound.shape) * 3e-4
sound[INVERTED] *= -1
wavfile.write(here / "session.wav", RATE, np.round(sound.T * 32767).astype(np.int16))

anechoic = render(0.999, 0)
anechoic.compute_rir()
geometry, scipy_lags = [], []
for k, place in enumerate(SOURCES):
    ways = [float(np.linalg.norm(np.array(place) - np.array(m)) / anechoic.c * RATE) for m in MICS]
    geometry.append([w - ways[k] for w in ways])
    heard = [np.convolve(dry[k], anechoic.rir[m][k])[: RATE * SECONDS] for m in range(len(MICS))]
    lags = correlation_lags(heard[0].size, heard[0].size)
    scipy_lags.append([int(lags[np.argmax(correlate(h, heard[k], method="fft"))]) for h in heard])
truth = {"rate_hz": RATE, "inverted": INVERTED, "lags_by_geometry": geometry, "lags_by_scipy": scipy_lags}
(here / "session.json").write_text(json.dumps(truth, indent=1))
