# SPDX-License-Identifier: Apache-2.0
# A run was killed, and what settles it cannot read the catalogue, or cannot bring the trash to the disk: it settles
# nothing, says so, and the next one does.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
killed() { # CALL COMMAND...: at that call about the tree, which is not made
    call=$1
    shift
    strace -f -qq -o trace -P $PWD/t -e trace=$call -e inject=$call:signal=SIGKILL:when=1 "$@" >out 2>err || true
    grep -q KILL trace || fail 'it was not killed'
}
runs_open() { ls state/runs | grep -c '^open' || true; }
policy discard 'kind = file'
old t/r.csv t/s.csv
killed renameat2 $O enforce --yes
[ $(runs_open) = 1 ] || fail 'no run is open'
faulty error=EIO $PWD/data/Trash/info fsync,syncfs $O recover nothing.csv
grep -q INJECTED trace || fail 'nothing was brought to the disk'
[ $s != 0 ] && [ $(runs_open) = 1 ] || fail 'it counts as settled'
status 1 $O recover nothing.csv
[ $(runs_open) = 0 ] || fail 'it is never settled'

policy 'archive, depot: cold-room' 'kind = file'
killed unlinkat $O enforce --yes
[ -n "$(ls depot)" ] || fail 'it was killed before the archive had its name'
faulty error=EIO $PWD/state/catalogue.db openat $O recover nothing.csv
grep -q INJECTED trace || fail 'nobody opened the catalogue'
[ $s != 0 ] && [ $(runs_open) = 1 ] || fail 'it counts as settled without the catalogue'
status 1 $O recover nothing.csv
[ $(runs_open) = 0 ] || fail 'it is never settled'
status 0 $O audit show --act archive
! grep -q unknown out || fail 'the ledger does not know what the catalogue knows'
