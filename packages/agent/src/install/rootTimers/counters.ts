import { linuxHome, user } from '../place'
import type { RootTimer } from './rootTimer'

const folder = '/run/custode-agent-counters'
/** Where the script writes what each program told: the status of its tool, and in the next lines its words. */
export const countersFolder = folder
/** Where the agent says which programs are to be asked, by empty files of their names. */
export const wantedFolder = `${linuxHome}/counters-wanted`
/** So often each is asked, in seconds. */
const every = 30
const mostSaid = 1_000_000

/**
 * What PostgreSQL tells of itself, in views that are the same from release 10 on (its manual, *The Cumulative
 * Statistics System*).
 */
const postgresql = `
set statement_timeout = '10s';
with client as (
  select state, wait_event_type, xact_start, state_change from pg_stat_activity
  where backend_type = 'client backend' and pid <> pg_backend_pid()
), standby as (
  select coalesce(nullif(application_name, ''), client_addr::text, 'unnamed') as name,
    max(pg_wal_lsn_diff(case when pg_is_in_recovery() then pg_last_wal_replay_lsn() else pg_current_wal_lsn() end,
      replay_lsn)) as behind
  from pg_stat_replication where state <> 'backup' group by 1
)
select json_build_object(
  'connections', (select count(*) from client),
  'used', (select round(count(*)::numeric / current_setting('max_connections')::int, 4) from client),
  'active', (select count(*) from client where state = 'active'),
  'waiting', (select count(*) from client where wait_event_type = 'Lock'),
  'longest', (select coalesce(round(extract(epoch from max(now() - xact_start))::numeric, 1), 0) from client),
  'idle', (select coalesce(round(extract(epoch from max(now() - state_change))::numeric, 1), 0) from client
    where state like 'idle in transaction%'),
  'numbers', (select round(max(age(datfrozenxid))::numeric / 2147483648, 4) from pg_database),
  'temporary', (select coalesce(sum(temp_bytes), 0) from pg_stat_database),
  'databases', (select coalesce(json_object_agg(datname, json_build_object('transactions', xact_commit + xact_rollback)),
    '{}') from pg_stat_database where datname !~ '^template[01]$'),
  'following', (select count(*) from standby),
  'standbys', (select coalesce(json_object_agg(name, json_build_object('behind', behind)), '{}') from standby),
  'replay', case when not pg_is_in_recovery() then '{}'::json
    else json_build_object('this server', case
      when pg_last_wal_receive_lsn() = pg_last_wal_replay_lsn()
        and exists (select from pg_stat_wal_receiver where status = 'streaming') then 0
      else round(extract(epoch from now() - pg_last_xact_replay_timestamp())::numeric, 1) end) end
);`

/**
 * A script of root's that asks programs how busy they are, with their own tools: what they tell only root, or in a
 * protocol of their own. It asks those that the agent has marked, twice a minute for as long as any is marked. The
 * marks are looked at, never read. Nothing is changed.
 */
export const countersScript = `#!/bin/sh
# How busy programs of this machine are, for the Custode agent, whom they would not tell. Usage: counters FOLDER WANTED
set -u
umask 027
export LC_ALL=C
folder=$1
wanted=$2
has() { command -v "$1" > /dev/null 2>&1; }
needs() {
  has "$1" && return
  echo "$1 is not installed" >&2
  exit 127
}

ask_postgresql() {
  needs psql
  timeout 20 setpriv --reuid=postgres --regid=postgres --init-groups psql -X -q -A -t -d postgres -v ON_ERROR_STOP=1 << 'SQL'
${postgresql.trim()}
SQL
}

ask_mariadb() {
  client=mariadb
  has mariadb || client=mysql
  needs "$client"
  # What answers at its socket gets no file of root's.
  query() { timeout 20 "$client" --no-defaults --local-infile=0 --connect-timeout=10 --batch "$@"; }
  status=$(query --skip-column-names -e "show global status; select 'Limit', @@max_connections") || exit
  replica=$(query -E -e 'show replica status' 2> /dev/null || query -E -e 'show slave status') || exit
  printf '%s\\n' "$status" "$replica" | awk '
    BEGIN { printf "{" }
    NF == 2 && $1 ~ /^[A-Za-z_]+$/ && $2 ~ /^[0-9.]+$/ {
      # The connection that asks is none.
      if ($1 ~ /^Threads_(connected|running)$/) $2--
      printf "\\"%s\\":%s,", $1, $2
      value[$1] = $2
    }
    / (Slave|Replica)_(IO|SQL)_Running: / { if ($2 == "Yes") runs++; is = 1 }
    / Seconds_Behind_(Master|Source): / { if ($2 ~ /^[0-9]+$/) behind = $2 }
    END {
      printf "\\"used\\":%.4f,\\"replica\\":{", value["Limit"] ? value["Threads_connected"] / value["Limit"] : 0
      if (is) printf "\\"this server\\":{\\"runs\\":%d,\\"behind\\":%s}", runs == 2, behind == "" ? "null" : behind
      print "}}"
    }'
}

ask_postfix() {
  needs postqueue
  said=$(timeout 60 postqueue -j) || exit
  printf '%s\\n' "$said" | awk -v now="$(date +%s)" '
    match($0, /"queue_name": *"[a-z]+"/) {
      queue = substr($0, RSTART, RLENGTH)
      gsub(/.*: *"|"/, "", queue)
      count[queue]++
      all++
      if (match($0, /"arrival_time": *[0-9]+/)) {
        at = substr($0, RSTART, RLENGTH)
        gsub(/[^0-9]/, "", at)
        if (first == "" || at + 0 < first) first = at + 0
      }
    }
    END {
      printf "{\\"queued\\":%d,\\"deferred\\":%d,\\"hold\\":%d,", all, count["deferred"], count["hold"]
      if (first != "" && now > first) age = now - first
      printf "\\"oldest\\":%d}\\n", age
    }'
}

ask_exim() {
  exim=exim4
  has exim4 || exim=exim
  needs "$exim"
  said=$(timeout 60 "$exim" -bp) || exit
  printf '%s\\n' "$said" | awk '
    BEGIN { unit["s"] = 1; unit["m"] = 60; unit["h"] = 3600; unit["d"] = 86400; unit["w"] = 604800 }
    $1 ~ /^[0-9]+[smhdw]$/ && $3 ~ /-/ {
      all++
      if (/\\*\\*\\* frozen \\*\\*\\*/) frozen++
      age = ($1 + 0) * unit[substr($1, length($1))]
      if (age > oldest) oldest = age
    }
    END { printf "{\\"queued\\":%d,\\"frozen\\":%d,\\"oldest\\":%d}\\n", all, frozen, oldest }'
}

# The changes that each provider has told of and that are not here, by contextCSN (RFC 4533, section 3.2, and
# slapd-config(5)): since when that is so, and nothing of them has come.
ask_openldap() {
  needs ldapsearch
  # It knows root by group, too.
  own() { timeout 15 setpriv --regid=root --clear-groups ldapsearch -LLL -o ldif-wrap=no -Q -Y EXTERNAL -H ldapi:/// "$@"; }
  config=$(own -b cn=config '(olcSyncrepl=*)' olcSuffix olcSyncrepl) || exit
  now=$(date +%s)
  touch "$folder/openldap.since"
  : > "$folder/openldap.next"
  printf '%s\\n' "$config" | awk '
    /^olcSuffix: / { suffix = substr($0, 12) }
    /^olcSyncrepl: / {
      provider = base = ""
      if (match($0, /provider="?[^ "]+/)) provider = substr($0, RSTART + 9, RLENGTH - 9)
      if (match($0, /searchbase="[^"]*"/)) base = substr($0, RSTART + 12, RLENGTH - 13)
      else if (match($0, /searchbase=[^ ]+/)) base = substr($0, RSTART + 11, RLENGTH - 11)
      gsub(/"/, "", provider)
      if (provider != "") list[++n] = provider "\\t" base
    }
    /^$/ { for (i = 1; i <= n; i++) print list[i] "\\t" suffix; n = 0 }
    END { for (i = 1; i <= n; i++) print list[i] "\\t" suffix }' | {
    tab=$(printf '\\t')
    separator=
    printf '{"providers":{'
    while IFS="$tab" read -r provider base suffix; do
      here=$(own -s base -b "$suffix" contextCSN | sed -n 's/^contextCSN: //p' | sort)
      there=$(timeout 15 ldapsearch -LLL -x -o ldif-wrap=no -o nettimeout=5 -H "$provider" -s base -b "$base" contextCSN 2> /dev/null)
      code=$?
      there=$(printf '%s\\n' "$there" | sed -n 's/^contextCSN: //p' | sort)
      # 255 is what ldapsearch ends with where nobody can be reached; otherwise it was answered, if only to refuse.
      answers=1
      stalled=null
      case $code in 255 | 124) answers=0 ;; esac
      if [ "$code" = 0 ] && [ -n "$there" ]; then
        ahead=$({ printf '%s\\n' "$here" | sed 's/^/here /'; printf '%s\\n' "$there" | sed 's/^/there /'; } | awk '
          NF == 2 { split($2, part, "#"); if ($1 == "here") own[part[3]] = $2; else if (own[part[3]] < $2) ahead = 1 }
          END { print ahead + 0 }')
        stalled=0
        if [ "$ahead" = 1 ]; then
          state=$(printf '%s' "$here" | tr '\\n' ' ')
          since=$(awk -F"$tab" -v key="$provider $suffix" -v state="$state" '$1 == key && $2 == state { print $3 }' "$folder/openldap.since")
          case "$since" in '' | *[!0-9]*) since=$now ;; esac
          printf '%s\\t%s\\t%s\\n' "$provider $suffix" "$state" "$since" >> "$folder/openldap.next"
          stalled=$((now - since))
        fi
      fi
      name=$(printf '%s' "$provider $suffix" | tr -d '"\\\\')
      printf '%s"%s":{"answers":%s,"stalled":%s}' "$separator" "$name" "$answers" "$stalled"
      separator=,
    done
    printf '}}\\n'
  }
  mv -f "$folder/openldap.next" "$folder/openldap.since"
}

ask() {
  if ("ask_$1") > "$folder/$1.said" 2> "$folder/$1.errors" < /dev/null; then code=0; else code=$?; fi
  {
    echo "$code"
    if [ "$code" = 0 ]; then head -c ${mostSaid} "$folder/$1.said"; else tail -n 1 "$folder/$1.errors"; fi
  } > "$folder/$1.new"
  mv -f "$folder/$1.new" "$folder/$1"
  rm -f "$folder/$1.said" "$folder/$1.errors"
}

while [ -n "$(ls -A "$wanted" 2> /dev/null)" ]; do
  for each in postgresql mariadb postfix exim openldap; do
    if [ -e "$wanted/$each" ]; then ask "$each"; else rm -f "$folder/$each"; fi
  done
  sleep ${every}
done
`

/** It runs with what it takes to be PostgreSQL's own user and to read the queues of mail, and nothing that changes. */
const serviceText: RootTimer['serviceText'] = ({ script }) => `[Unit]
Description=How busy programs are, for the Custode agent

[Service]
ExecStart=/bin/sh ${script} ${folder} ${wantedFolder}
Group=${user}
RuntimeDirectory=${folder.slice('/run/'.length)}
RuntimeDirectoryPreserve=yes
RuntimeDirectoryMode=0750
Restart=on-failure
RestartSec=30
Nice=10
CapabilityBoundingSet=CAP_SETUID CAP_SETGID CAP_DAC_READ_SEARCH
NoNewPrivileges=yes
ProtectSystem=strict
ProtectHome=yes
PrivateTmp=yes
PrivateDevices=yes
ProtectKernelModules=yes
ProtectKernelTunables=yes
ProtectControlGroups=yes
RestrictAddressFamilies=AF_UNIX AF_NETLINK AF_INET AF_INET6
RestrictSUIDSGID=yes
LockPersonality=yes
`

/** As soon as the agent has marked a program. */
const pathText = `[Unit]
Description=Whether programs are to be asked how busy they are, for the Custode agent

[Path]
DirectoryNotEmpty=${wantedFolder}

[Install]
WantedBy=paths.target
`

export const countersTimer: RootTimer = {
  name: 'custode-agent-counters',
  folder,
  script: countersScript,
  serviceText,
  trigger: { by: 'path', text: pathText },
}
