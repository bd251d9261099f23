"""Pitch and doubles as Marea tells them and as a library does, both against the truth. Usage: voices.py FOLDER FILE

The library is librosa (McFee et al. 2015): pitch by pYIN (Mauch and Dixon 2014), doubles by dynamic time warping (Sakoe and Chiba 1978)
of log-mel spectra within 400 ms, its path read at the mean of all frames of the take that a frame of the lead is paired with.
"""

import json
import sys
from pathlib import Path

import librosa
import numpy as np

HOP_S = 0.01
REACH_S = 0.4
OCTAVE = 600


def quantile(values, part):
    """Of any list of numbers, as the other tables have it."""
    return float(np.quantile(np.asarray(values), part)) if len(values) else float("nan")


def pyin(folder, voice):
    """Hz at every step of the truth; nan where nothing is voiced."""
    sound, rate = librosa.load(folder / voice["file"], sr=None)
    hop = round(voice["step_s"] * rate)
    hz, _, _ = librosa.pyin(sound, fmin=60, fmax=1000, sr=rate, frame_length=2048, hop_length=hop)
    return hz


def apart(true, told):
    """Cents that told pitches are off where there is a true one and a told one, and how many true ones there are."""
    both = [(t, g) for t, g in zip(true, told) if t is not None]
    off = [abs(1200 * np.log2(g / t)) for t, g in both if g is not None and g == g]
    return off, len(both)


def spectra(folder, file):
    """Log-mel spectra about their means, with their change."""
    sound, rate = librosa.load(folder / file, sr=None)
    hop = round(HOP_S * rate)
    mel = librosa.feature.melspectrogram(y=sound, sr=rate, n_fft=1024, hop_length=hop, n_mels=40, fmin=80, fmax=8000)
    level = librosa.power_to_db(mel, ref=np.max, top_db=50)
    level = (level - level.mean(axis=1, keepdims=True)) / level.std()
    return np.vstack([level, 0.7 * np.gradient(level, axis=1)])


def warped(folder, lead, take):
    """When the take has each vowel of the lead, in seconds."""
    a, b = spectra(folder, lead), spectra(folder, take["file"])
    shortest = min(a.shape[1], b.shape[1])
    _, path = librosa.sequence.dtw(X=a, Y=b, metric="euclidean", global_constraints=True, band_rad=REACH_S / HOP_S / shortest)
    sums, counts = np.zeros(a.shape[1]), np.zeros(a.shape[1])
    np.add.at(sums, path[:, 0], path[:, 1])
    np.add.at(counts, path[:, 0], 1)
    mean = sums / np.maximum(counts, 1)
    at = np.arange(a.shape[1])
    return [float(np.interp(v[0] / HOP_S, at, mean)) * HOP_S for v in take["vowels"]]


def row_of_pitch(name, each):
    """A line of the table of pitch."""
    off = [o for one, _ in each for o in one]
    true = sum(count for _, count in each)
    wrong = sum(o > OCTAVE for o in off)
    return (
        f"| {name} | {true} | {100 * len(off) / true:.1f} % | {quantile(off, 0.5):.2f} | {quantile(off, 0.95):.2f} "
        f"| {100 * wrong / true:.2f} % |\n"
    )


def row_of_doubles(name, off):
    """A line of the table of doubles."""
    return f"| {name} | {len(off)} | {quantile(off, 0.5):.2f} | {quantile(off, 0.95):.1f} |\n"


def main(folder, file):
    voices = json.loads((folder / "voices.json").read_text())
    ours = [apart(v["pitch_hz"], v["found_hz"]) for v in voices]
    theirs = [apart(v["pitch_hz"], pyin(folder, v)) for v in voices]
    text = (
        "# Voices beside a library\n\nMade by `make voices`. Made-up singers and their doubles (those of docs/accuracy-pitch.md and "
        f"docs/accuracy-doubles.md, {len(voices)} leads), told by Marea and by librosa {librosa.__version__} (PyPI).\n\n"
        "Pitch, every 5 ms: pYIN (Mauch and Dixon 2014) from 60 to 1,000 Hz with frames of 2,048.\n\n"
        "| | moments | told | cents off: median | 95 % | octaves wrong |\n|---|---|---|---|---|---|\n"
    )
    text += row_of_pitch("Marea", ours) + row_of_pitch("librosa", theirs)
    text += (
        "\nDoubles: dynamic time warping of log-mel spectra with their change, 10 ms apart, within 400 ms; where each vowel of the lead "
        "lies in the take, what is missing left out.\n\n| | vowels | off: median ms | 95 % |\n|---|---|---|---|\n"
    )
    for how, name in [("Same", "the same voice"), ("Other", "another voice"), ("Whispered", "a whisper")]:
        takes = [(v["file"], t) for v in voices for t in v["takes"] if t["how"] == how]
        off = lambda told: [1000 * abs(a - v[1]) for (_, t), all_of in zip(takes, told) for a, v in zip(all_of, t["vowels"])]
        text += row_of_doubles(f"{name}: Marea", off([t["found"] for _, t in takes]))
        text += row_of_doubles(f"{name}: librosa", off([warped(folder, lead, t) for lead, t in takes]))
    print(text)
    Path(file).write_text(text)


main(Path(sys.argv[1]), sys.argv[2])
