#!/bin/sh
# Writes raw kernel text, once per interval, as a field capture that `reditus import FILE` and `reditus diagnose FILE`
# read. Needs a POSIX shell and cat; nothing is installed, nothing is sent, nothing but counters is read.
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
    for path in $1; do
        now
        if [ -r "$path" ]; then
            echo "@ $now $path"
            # Some files (the speed of a link that is down) are there and have nothing to say.
            cat "$path" 2>/dev/null
        elif [ "$done" -eq 0 ]; then
            case $path in *\**) continue ;; esac
            if [ -e "$path" ]; then echo "@ $now $path !permission denied"; else echo "@ $now $path !no such file"; fi
        fi
    done
}

while :; do
    capture "$paths"
    if [ $((done % @EVERY@)) -eq 0 ]; then capture "$seldom"; fi
    done=$((done + 1))
    [ "$done" -eq "$ticks" ] && exit 0
    sleep "$every"
done
