#!/usr/bin/env bash
# A private MariaDB below a folder: its own data, port and socket on loopback, its own user with a random password.
# Usage: scripts/database.sh FOLDER [LIFETIME_OF_PID]
# Starts it when it does not run and prints its address as mysql://… . With a process id, a watcher ends the database when
# that process is gone, however it went.
set -euo pipefail
export LC_ALL=C

folder=$(mkdir -p "$1" && cd "$1" && pwd)
owner=${2:-}
data=$folder/mariadb
secret=$folder/password
umask 077

# The path of a socket may have about 100 characters; a deep folder gets a short one of its own.
socket=$folder/db.sock
if [ ${#socket} -gt 90 ]; then
  socket=/tmp/marea-$(printf %s "$folder" | sha256sum | cut -c1-12).sock
fi

as_user=()
[ "$(id -u)" -eq 0 ] && as_user=(--user=root)

# Two starts at the same time must not both initialise.
exec 9>"$folder/lock"
flock 9

running() { [ -s "$folder/db.pid" ] && kill -0 "$(cat "$folder/db.pid")" 2>/dev/null && mariadb-admin --no-defaults --socket="$socket" -u root ping >/dev/null 2>&1; }

if ! running; then
  if [ ! -d "$data/mysql" ]; then
    # Initialised beside its place: an interrupted first start leaves nothing half done.
    rm -rf "$data" "$data.new"
    mariadb-install-db --no-defaults "${as_user[@]}" --datadir="$data.new" --auth-root-authentication-method=normal \
      --skip-test-db --innodb-log-file-size=8M --innodb-autoextend-increment=4 >"$folder/install.log" 2>&1
    mv "$data.new" "$data"
  fi
  [ -s "$secret" ] || head -c 24 /dev/urandom | base64 | tr -d '/+=\n' >"$secret"
  # The same port as before while it is free: a server that waits for its database finds it again.
  port=$(cat "$folder/port" 2>/dev/null || true)
  if [ -z "$port" ] || (exec 3<>"/dev/tcp/127.0.0.1/$port") 2>/dev/null; then
    port=$(perl -MIO::Socket::INET -e 'print IO::Socket::INET->new(Listen => 1, LocalAddr => "127.0.0.1")->sockport')
  fi
  rm -f "$socket" "$folder/db.pid"
  # 9>&- : the server must not keep the lock; setsid: Ctrl-C in the terminal is for the application, which ends first.
  setsid mariadbd --no-defaults "${as_user[@]}" --datadir="$data" --socket="$socket" --pid-file="$folder/db.pid" \
    --bind-address=127.0.0.1 --port="$port" --skip-log-bin --innodb-log-file-size=8M --innodb-buffer-pool-size=64M \
    --innodb-autoextend-increment=4 --skip-name-resolve --character-set-server=utf8mb4 \
    --collation-server=utf8mb4_unicode_ci --max-allowed-packet=64M --performance-schema=OFF \
    --max-connections=400 >"$folder/db.log" 2>&1 9>&- </dev/null &
  child=$!
  for _ in $(seq 300); do
    if mariadb-admin --no-defaults --socket="$socket" -u root ping >/dev/null 2>&1; then break; fi
    kill -0 "$child" 2>/dev/null || { echo "MariaDB did not start; see $folder/db.log" >&2; tail -n 5 "$folder/db.log" >&2; exit 1; }
    sleep 0.1
  done
  echo "$port" >"$folder/port"
  # root may come by the socket only, which lies in a folder that only its owner can enter.
  mariadb --no-defaults --socket="$socket" -u root <<SQL
CREATE DATABASE IF NOT EXISTS marea;
CREATE OR REPLACE USER 'marea'@'127.0.0.1' IDENTIFIED BY '$(cat "$secret")';
GRANT ALL ON *.* TO 'marea'@'127.0.0.1';
DELETE FROM mysql.global_priv WHERE User = 'root' AND Host <> 'localhost';
FLUSH PRIVILEGES;
SQL
fi

if [ -n "$owner" ]; then
  pid=$(cat "$folder/db.pid")
  echo "$owner" >>"$folder/owners"
  # Outlives this script and the shell that called it. Once the owner is gone it ends the database by its id, unless somebody
  # else has come to use it meanwhile; the lock keeps newcomers waiting while it looks.
  setsid bash -c "
    while kill -0 $owner 2>/dev/null; do sleep 0.3; done
    exec 9>'$folder/lock' && flock 9
    for other in \$(cat '$folder/owners' 2>/dev/null); do
      [ \$other != $owner ] && kill -0 \$other 2>/dev/null && exit
    done
    rm -f '$folder/owners'
    kill $pid 2>/dev/null
    while kill -0 $pid 2>/dev/null; do sleep 0.1; done" >/dev/null 2>&1 9>&- </dev/null &
fi

echo "mysql://marea:$(cat "$secret")@127.0.0.1:$(cat "$folder/port")/marea"
