#!/bin/sh
# Writes raw kernel text, once per interval, as a field capture that `reditus import FILE` and `reditus diagnose FILE`
# read. Needs a POSIX shell with cat, sort, head and sed; nothing is installed, nothing is sent, nothing but counters is read.
# Of the heaviest processes their names and numbers are read as well, never what they were started with.
#
#   sh field-script.sh [SECONDS BETWEEN TICKS, default 1] [TICKS, default until Ctrl-C] > capture.txt
#
# Pack it afterwards if you like (gzip or zstd): both are read as they are.

every=${1:-1}
ticks=${2:-0}

case $every in '' | *[!0-9.]* | 0) echo "seconds between ticks: a number such as 1 or 5" >&2; exit 2 ;; esac
case $ticks in *[!0-9]*) echo "ticks: a whole number" >&2; exit 2 ;; esac

paths="@PATHS@"
# What changes slowly is read with every @EVERY@th tick.
seldom="@RARELY@"

# Nanoseconds since the epoch. Small systems have no %N: there the kernel's uptime, in hundredths of a second and free of
# charge, is added to the time at which the machine started.
case $(date +%N 2>/dev/null) in
'' | *[!0-9]*)
    read -r up rest </proc/uptime
    up=${up%.*}${up#*.}
    began=$(($(date +%s) * 100 - up))
    now() {
        read -r up rest </proc/uptime
        up=${up%.*}${up#*.}
        now=$((began + up))0000000
    }
    ;;
*)
    now() { now=$(date +%s%N); }
    ;;
esac

host=$(cat /proc/sys/kernel/hostname 2>/dev/null || echo unnamed)
echo "# field capture 1 host=$host"

done=0
trap 'exit 0' INT TERM
capture() {
    # The shell puts in all files that match where a path has a star.
    if [ "$done" -eq 0 ]; then
        now
        for path in $1; do
            case $path in *\**) continue ;; esac
            if [ ! -e "$path" ]; then
                echo "@ $now $path !no such file"
            elif [ ! -r "$path" ]; then
                echo "@ $now $path !permission denied"
            fi
        done
    fi
    # One program for all files: starting one for each would cost a slow machine more than what it is watched for. `head`
    # names each of several files, and passes over those that it cannot open; some (the speed of a link that is down) are
    # there and have nothing to say.
    now
    # shellcheck disable=SC2086
    head -n 1000000 $1 /dev/null 2>/dev/null |
        sed -e '/^$/d' -e '/^==> \/dev\/null <==$/d' -e "s|^==> \(/.*\) <==\$|@ $now \1|"
}

# The heaviest processes: looked for now and then among at most @MOST@ of them, by what they used since the last look, by
# what they hold and by whether they hang; and followed with every tick. Reading them starts no program.
before=
followed=
all_processes() {
    looked=0
    for file in /proc/[0-9]*/stat; do
        looked=$((looked + 1))
        [ "$looked" -gt @MOST@ ] && break
        { IFS= read -r line <"$file"; } 2>/dev/null || continue
        pid=${line%% *}
        rest=${line##*) }
        # A name may hold a line's end: the numbers are then on another line.
        case $rest in [A-Za-z]\ [0-9]*) ;; *) continue ;; esac
        # shellcheck disable=SC2086
        set -- $rest
        echo "$pid $((${12} + ${13})) ${22} $1"
    done
}
since_last_look() {
    printf '%s\n%s\n' "$before" "$current" | sort -k1,1n -k2,2n | {
        last= old=0
        while read -r pid used held state; do
            case $before in
            '') [ -n "$pid" ] && echo "$used $pid" ;;
            *) [ "$pid" = "$last" ] && [ "$used" -gt "$old" ] && echo "$((used - old)) $pid" ;;
            esac
            last=$pid old=$used
        done
    } | sort -rn | head -n 12
}
look() {
    current=$(all_processes)
    followed=$(
        {
            since_last_look
            printf '%s\n' "$current" | while read -r pid used held state; do echo "$held $pid"; done | sort -rn | head -n 5
            printf '%s\n' "$current" | while read -r pid used held state; do
                case $state in D) echo "$held $pid" ;; esac
            done | head -n 3
        } | while read -r amount pid; do echo "$pid"; done | sort -un
    )
    before=$current
}
follow() {
    now
    for pid in $followed; do
        { IFS= read -r line <"/proc/$pid/stat"; } 2>/dev/null || continue
        echo "@ $now /proc/$pid/stat"
        printf '%s\n' "$line"
        [ -r "/proc/$pid/io" ] || continue
        echo "@ $now /proc/$pid/io"
        # Others' may not be read; nor may that of one that has just ended.
        { while IFS= read -r line; do printf '%s\n' "$line"; done <"/proc/$pid/io"; } 2>/dev/null
    done
}

while :; do
    case $done in 2 | *0) look ;; esac
    follow
    capture "$paths"
    if [ $((done % @EVERY@)) -eq 0 ]; then capture "$seldom"; fi
    done=$((done + 1))
    [ "$done" -eq "$ticks" ] && exit 0
    sleep "$every"
done
