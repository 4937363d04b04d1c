# SPDX-License-Identifier: Apache-2.0
# A chain of 3,000 directories in `t`, a file in every 300th: every act reaches what no system call can name, by a rule,
# by hand, from the trash and from a depot, and when a run that was killed there is settled.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
files() { find t -type f | wc -l; }
directories() { find t -type d | wc -l; }
has() { [ $(files) = $1 ] || fail "$(files) files instead of $1"; }
run() { ls -t state/runs | grep '^2' | head -n 1; }
killed() { # CALL WHEN COMMAND...
    call=$1 when=$2
    shift 2
    s=0
    strace -f -qq -o trace -e trace=$call -e inject=$call:signal=KILL:when=$when "$@" >out 2>err || s=$?
    [ $s = 137 ] || fail "it was not killed, but $s"
}
has 10
for act in discard 'archive, depot: cold-room'; do
    policy "$act" 'kind = file'
    rm -rf state # nothing was recovered recently
    status 0 $O enforce --yes
    has 0
    status 0 $O recover --run $(run)
    has 10
    rm -rf state depot/*
    killed renameat2 5 $O enforce --yes
    $O recover '**/r.csv' --if-exists skip >out 2>err || true # there may be nothing to recover
    grep -q 'an earlier run was cut short' err || fail 'nothing was settled'
    has 10
done
policy 'delete' 'kind = file'
status 0 $O explain "$(find $PWD/t -type f | tail -n 1)"
grep -q 'delete after' out || fail 'it is not explained'
status 0 $O compress t --yes
[ $(find t -name '*.zst' | wc -l) = 10 ] || fail 'not all are compressed'
status 0 $O decompress t --yes
status 0 $O archive t --to t.tar.zst --keep --yes
status 0 $O extract t.tar.zst --into back
[ $(find back -name r.csv | wc -l) = 10 ] || fail 'not all come out of the archive'
find $PWD/t -type f >names
status 0 $O discard --names-from names --yes
has 0
status 0 $O trash show
[ $(grep -c 'd/r.csv' out) = 10 ] || fail 'not all are shown whole'
status 0 $O survey t
status 0 $O sweep t --yes
[ ! -e t ] || fail 'it is not swept'
status 0 $O recover --run $(run)
[ $(directories) = 3001 ] || fail 'not all are made again'
rm -r t
status 0 $O recover '**/r.csv'
has 10
killed unlinkat 1000 $O delete t --tree --count 10
status 1 $O recover nothing # what was taken aside is back
status 0 $O delete t --tree --count "$(files)"
[ ! -e t ] || fail 'it is not deleted'
status 0 $O audit verify
