"""Strokes found by Marea and by another detector, both against the strokes that were played. Usage: onsets.py FOLDER FILE

The other detector is librosa's (McFee et al. 2015: onset strength by spectral flux, peaks picked as Böck et al. 2012), with the threshold
that suits these files best, at the peak or taken back to the minimum before, whichever does, and without what it is early or late by in
the median. Both are counted by mir_eval (Raffel et al. 2014), at 50 ms, which is the usual window, and at 5 ms.
"""

import json
import statistics
import sys
from pathlib import Path

import librosa
import mir_eval
import numpy as np

HOP = 128
THRESHOLDS = [0.05, 0.1, 0.2, 0.4, 0.8]


def flux(folder, one):
    """Strength of onsets, and the rate of its frames."""
    sound, rate = librosa.load(folder / one["file"], sr=None)
    return librosa.onset.onset_strength(y=sound, sr=rate, hop_length=HOP, n_fft=1024), rate


def detected(strength, rate, threshold, backtrack):
    """Moments in seconds."""
    frames = librosa.onset.onset_detect(
        onset_envelope=strength, sr=rate, hop_length=HOP, backtrack=backtrack, delta=threshold, units="frames"
    )
    return np.unique(frames) * HOP / rate


def settled(struck, found):
    """The same without the constant part of what they are off by."""
    late = [f[b] - s[a] for s, f in zip(struck, found) for a, b in mir_eval.util.match_events(s, f, 0.05)]
    return [f - statistics.median(late) for f in found]


def counted(struck, found, window):
    """F, precision and recall by mir_eval."""
    return mir_eval.onset.f_measure(struck, found, window=window)


def off(struck, found):
    """How far found moments are from the strokes they are paired with at 50 ms, in ms."""
    pairs = mir_eval.util.match_events(struck, found, 0.05)
    return [1000 * abs(struck[a] - found[b]) for a, b in pairs]


def row(name, each):
    """A line of the table: medians and means over all microphones."""
    wide = [counted(s, f, 0.05) for s, f in each]
    close = [counted(s, f, 0.005)[0] for s, f in each]
    apart = [o for s, f in each for o in off(s, f)]
    mean = lambda of: sum(of) / len(of)
    return (
        f"| {name} | {mean([w[0] for w in wide]):.3f} | {mean([w[1] for w in wide]):.3f} | {mean([w[2] for w in wide]):.3f} "
        f"| {mean(close):.3f} | {statistics.median(apart):.2f} |\n"
    )


def main(folder, file):
    all_of = [one for one in json.loads((folder / "strokes.json").read_text()) if one["struck"]]
    struck = [np.array(one["struck"]) / one["rate_hz"] for one in all_of]
    ours = [np.array(sorted(one["found"])) / one["rate_hz"] for one in all_of]
    strengths = [flux(folder, one) for one in all_of]
    ways = [(t, back) for t in THRESHOLDS for back in (False, True)]
    tried = {way: settled(struck, [detected(s, rate, *way) for s, rate in strengths]) for way in ways}
    best = max(tried, key=lambda t: sum(counted(s, f, 0.05)[0] for s, f in zip(struck, tried[t])))
    text = (
        "# Onsets beside another detector\n\nMade by `make onsets`. Strokes of simulated sets (those of docs/accuracy-hits.md), in the "
        f"microphone that each source has, found by Marea and by librosa {librosa.__version__} (PyPI): onset strength by spectral flux, "
        f"with the threshold of {len(THRESHOLDS)} that suits these files best ({best[0]}), {'the minimum before a peak' if best[1] else 'the peak'}, "
        "and without what it is early or late by in the median. Counted by "
        f"mir_eval {mir_eval.__version__} (Raffel et al. 2014), mean over {len(all_of)} microphones of {len({o['seed'] for o in all_of})} "
        "sets. A detector of onsets hears one microphone, and cannot know whose stroke it hears: what bleeds in counts as false. Marea "
        "knows the others.\n\n| | F at 50 ms | precision | recall | F at 5 ms | off, median ms |\n|---|---|---|---|---|---|\n"
    )
    text += row("Marea", list(zip(struck, ours))) + row("librosa", list(zip(struck, tried[best])))
    print(text)
    Path(file).write_text(text)


main(Path(sys.argv[1]), sys.argv[2])
