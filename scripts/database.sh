#!/usr/bin/env bash
# A private MariaDB below a folder: its own data, port and socket on loopback, one account with a random password.
# Usage: scripts/database.sh FOLDER [LIFETIME_OF_PID [tests]]
# Starts it when it does not run and prints its address as mysql://… . With a process id, a watcher ends the database when
# that process is gone, however it went, and starts it again when it falls. With "tests" the account may also make databases whose names begin with test_ .
set -euo pipefail
export LC_ALL=C

mkdir -p "$1"
folder=$(cd "$1" && pwd)
owner=${2:-}
purpose=${3:-}
data=$folder/mariadb
secret=$folder/password
umask 077

# Whatever goes wrong is told with the end of the log that knows why.
log=
failed() {
  status=$?
  [ "$status" -eq 0 ] && return
  echo "The private database below $folder could not be set up." >&2
  if [ -n "$log" ] && [ -s "$log" ]; then
    # The set-up program ends with advice; what went wrong stands before it.
    grep -aE "ERROR|Error|Can.t|cannot" "$log" | head -n 15 >&2 || true
    echo "The end of $log:" >&2
    tail -n 15 "$log" >&2
  fi
}
trap failed EXIT

# Nobody else may enter. As root the database runs under Debian's account for it, which then may pass through the outer
# folder (0710) to its own; where that account cannot reach the folder (below /root, say) it runs as root, and that is said.
account=
chmod 700 "$folder"
if [ "$(id -u)" -eq 0 ] && id mysql >/dev/null 2>&1; then
  if setpriv --reuid=mysql --regid=mysql --clear-groups test -x "$(dirname "$folder")"; then
    account=mysql
    chgrp mysql "$folder"
    chmod 710 "$folder"
  else
    echo "The account mysql cannot reach $folder, so MariaDB runs as root." >&2
  fi
fi
as_user=()
[ "$(id -u)" -eq 0 ] && as_user=(--user="${account:-root}")

# Two starts at the same time must not both initialise.
exec 9>"$folder/lock"
flock 9

# The socket's path is relative to the database's own folder: a system's limit of about 100 characters never counts.
ping() { (cd "$data" && mariadb-admin --no-defaults --socket=db.sock ping) >/dev/null 2>&1; }
running() { [ -s "$folder/db.pid" ] && kill -0 "$(cat "$folder/db.pid")" 2>/dev/null && ping; }

if ! running; then
  # Temporary tables of its own: a MariaDB that starts removes those of all others from the folder that they share.
  export TMPDIR=$folder/tmp
  mkdir -p "$TMPDIR"
  [ -n "$account" ] && chown mysql:mysql "$TMPDIR"
  if [ ! -d "$data/mysql" ]; then
    # Initialised beside its place: an interrupted first start leaves nothing half done.
    rm -rf "$data" "$data.new"
    log=$folder/install.log
    # From within the folder: the set-up program of MariaDB does not take paths with spaces.
    mkdir "$data.new"
    [ -n "$account" ] && chown mysql:mysql "$data.new"
    (cd "$folder" && mariadb-install-db --no-defaults "${as_user[@]}" --datadir=./mariadb.new \
      --auth-root-authentication-method=socket --skip-test-db --innodb-log-file-size=8M \
      --innodb-autoextend-increment=4) >"$log" 2>&1
    mv "$data.new" "$data"
  fi
  log=$folder/db.log
  # Also what an earlier start left otherwise.
  chmod 700 "$data"
  [ -n "$account" ] && chown -R mysql:mysql "$data"
  mkdir -p "$folder/no-files"
  [ -n "$account" ] && chgrp mysql "$folder/no-files" && chmod 710 "$folder/no-files"
  [ -s "$secret" ] || head -c 24 /dev/urandom | base64 | tr -d '/+=\n' >"$secret"
  chmod 600 "$secret"
  # The same port as before while it is free: a server that waits for its database finds it again.
  port=$(cat "$folder/port" 2>/dev/null || true)
  if [ -z "$port" ] || (exec 3<>"/dev/tcp/127.0.0.1/$port") 2>/dev/null; then
    port=$(perl -MIO::Socket::INET -e 'print IO::Socket::INET->new(Listen => 1, LocalAddr => "127.0.0.1")->sockport')
  fi
  rm -f "$data/db.sock" "$folder/db.pid"
  # Accounts are set anew at every start, before anybody can connect: one for the application, limited to its database (so
  # without FILE and the like), and root for the machine's own root through the socket. Nothing else can come in.
  install -m 600 ${account:+-o mysql -g mysql} /dev/null "$data/accounts.sql"
  {
    echo "CREATE DATABASE IF NOT EXISTS marea;"
    echo "CREATE OR REPLACE USER 'marea'@'127.0.0.1' IDENTIFIED BY '$(cat "$secret")';"
    echo "GRANT ALL PRIVILEGES ON marea.* TO 'marea'@'127.0.0.1';"
    # shellcheck disable=SC2016 # the backquotes are MariaDB's
    [ "$purpose" = tests ] && echo 'GRANT ALL PRIVILEGES ON `test\_%`.* TO '"'marea'@'127.0.0.1';"
    echo "CREATE OR REPLACE USER 'root'@'localhost' IDENTIFIED VIA unix_socket;"
    echo "GRANT ALL PRIVILEGES ON *.* TO 'root'@'localhost' WITH GRANT OPTION;"
    echo "DELETE FROM mysql.global_priv WHERE CONCAT(User, '@', Host) NOT IN ('marea@127.0.0.1', 'root@localhost', 'mariadb.sys@localhost');"
    echo "FLUSH PRIVILEGES;"
  } >"$data/accounts.sql"
  # What tests keep need not survive a power cut: nothing waits for the disk.
  quick=()
  [ "$purpose" = tests ] && quick=(--innodb-flush-method=nosync --innodb-flush-log-at-trx-commit=2)
  # 9>&- : the server must not keep the lock; setsid: Ctrl-C in the terminal is for the application, which ends first.
  setsid mariadbd --no-defaults "${as_user[@]}" --datadir="$data" --socket=db.sock --pid-file=mariadb.pid \
    --init-file="$data/accounts.sql" --secure-file-priv="$folder/no-files" --local-infile=0 --skip-symbolic-links \
    --bind-address=127.0.0.1 --port="$port" --skip-log-bin --innodb-log-file-size=8M --innodb-buffer-pool-size=64M \
    --innodb-autoextend-increment=4 --skip-name-resolve --character-set-server=utf8mb4 \
    --collation-server=utf8mb4_unicode_ci --max-allowed-packet=64M --performance-schema=OFF \
    --max-connections=400 "${quick[@]}" >"$log" 2>&1 9>&- </dev/null &
  child=$!
  echo "$child" >"$folder/db.pid"
  ready=no
  for _ in $(seq 300); do
    if ping; then
      ready=yes
      break
    fi
    kill -0 "$child" 2>/dev/null || break
    sleep 0.1
  done
  rm -f "$data/accounts.sql"
  if [ "$ready" = no ]; then
    echo "MariaDB did not start." >&2
    exit 1
  fi
  echo "$port" >"$folder/port"
fi

if [ -n "$owner" ]; then
  echo "$owner" >>"$folder/owners"
  # Outlives this script and the shell that called it. A database that fell is started again (one that ended in order has removed
  # its pid file). Once the owner is gone it ends the database by its id, unless somebody else has come to use it meanwhile; the
  # lock keeps newcomers waiting while it looks.
  setsid bash -c '
    owner=$1 folder=$2 script=$3 purpose=$4 pid=$5
    alive() { kill -0 "$(cat "$folder/db.pid" 2>/dev/null)" 2>/dev/null; }
    # The id is remembered: the folder may be removed before the owner ends.
    while kill -0 "$owner" 2>/dev/null; do
      now=$(cat "$folder/db.pid" 2>/dev/null) && pid=$now
      sleep 0.3
      # Without its own file it was not the database that fell: the folder is being removed.
      if ! alive && [ -s "$folder/db.pid" ] && [ -e "$folder/mariadb/mariadb.pid" ] && kill -0 "$owner" 2>/dev/null; then
        "$script" "$folder" "" "$purpose" || sleep 5
      fi
    done
    [ -d "$folder" ] && exec 9>"$folder/lock" && flock 9
    for other in $(cat "$folder/owners" 2>/dev/null); do
      [ "$other" != "$owner" ] && kill -0 "$other" 2>/dev/null && exit
    done
    rm -f "$folder/owners"
    now=$(cat "$folder/db.pid" 2>/dev/null) && pid=$now
    kill "$pid" 2>/dev/null
    while kill -0 "$pid" 2>/dev/null; do sleep 0.1; done' \
    watcher "$owner" "$folder" "$(cd "$(dirname "$0")" && pwd)/$(basename "$0")" "$purpose" "$(cat "$folder/db.pid")" >/dev/null 2>&1 9>&- </dev/null &
fi

echo "mysql://marea:$(cat "$secret")@127.0.0.1:$(cat "$folder/port")/marea"
