# shellcheck shell=bash
# Sourced by the others. logged WHAT COMMAND…: runs it with all it says in a file; when it fails, the end of that is printed.
logged() {
  local what=$1 log
  shift
  log=$(mktemp -t marea-setup-XXXXXX)
  if ! "$@" >"$log" 2>&1; then
    {
      echo "$what failed. The end of what it said:"
      tail -n 25 "$log"
    } >&2
    rm -f "$log"
    exit 1
  fi
  rm -f "$log"
}
