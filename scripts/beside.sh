# shellcheck shell=bash
# Sourced. Python's packages that results are held against, in a place of their own; gives the interpreter in `python`.
. scripts/logged.sh
python=target/onsets/env/bin/python
if [ ! -x "$python" ]; then
  logged "Making a place for Python's packages" python3 -m venv target/onsets/env
fi
logged "Installing librosa and mir_eval" target/onsets/env/bin/pip install --quiet --disable-pip-version-check librosa==0.11.0 mir_eval==0.8.2
