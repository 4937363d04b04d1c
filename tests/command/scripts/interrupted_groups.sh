# SPDX-License-Identifier: Apache-2.0
# A group is interrupted, or its directory moved, right when its first file gets its name: every file must
# still be there with its contents, under its own name or in its packed form, and the ledger must say which.
#   $1: the signal, or "moved"   $2: compress or decompress   $3: hand or timer
how=$1 act=$2 by=$3
export ASAN_OPTIONS=detect_leaks=0
fail() { echo "$how $act $by: $1"; cat out err; $O audit show --json; ls -lR tides; exit 1; }

mkdir -p tides/a tides/b
for d in a b; do
    for i in $(seq 10 29); do seq "$i" 3000 >"tides/$d/r$i.csv"; done
done
( cd tides && sha256sum */*.csv ) >sums
[ "$act" = compress ] || { $O compress tides -y >out 2>err || fail "cannot prepare"; }
find tides -type f | xargs touch -d '100 days ago'

cat >steps.yaml <<P
olvido: 1
rules:
  - name: readings
    under: $PWD/tides
    steps: [ { after: 30 days, do: compress, unattended: yes } ]
P
case $by in
hand) set -- $act tides -y ;;
timer) set -- --policy steps.yaml enforce --unattended ;;
esac

if [ "$how" = moved ]; then
    strace -f -qq -o trace -e trace=linkat -e inject=linkat:delay_enter=3s:when=1 $O "$@" >out 2>err &
    for i in $(seq 100); do [ -s trace ] && break; sleep 0.05; done
    sleep 0.5
    # whichever directory has its turn first, the other one moves
    mv tides/b tides/away
    wait $!
    status=$?
    mv tides/away tides/b
else
    strace -f -qq -o trace -e inject=linkat:signal=$how:when=1 $O "$@" >out 2>err
    status=$?
    [ $status = 4 ] || fail "status $status"
fi

grep -q "linkat" trace || fail "no file got its name"
gone=0
for d in a b; do
    for i in $(seq 10 29); do
        f=tides/$d/r$i.csv
        if [ -e $f ]; then
            sha256sum <$f | grep -q "$(awk -v n="$d/r$i.csv" '$2 == n { print $1 }' sums)" || fail "$f is not whole"
        elif [ -e $f.zst ]; then
            /usr/bin/python3 -c 'import sys, zstandard; sys.stdout.buffer.write(zstandard.ZstdDecompressor().stream_reader(open(sys.argv[1], "rb"), read_across_frames=True).read())' $f.zst >plain || fail "$f.zst cannot be read"
            sha256sum <plain | grep -q "$(awk -v n="$d/r$i.csv" '$2 == n { print $1 }' sums)" || fail "$f.zst is not whole"
        else
            fail "$f is gone"
        fi
    done
done
find tides -name '.olvido*' | grep . && fail "debris"
# what the ledger calls done is done, what it calls left is as it was
from=csv into=csv.zst
[ "$act" = compress ] || { from=csv.zst into=csv; }
$O audit show --json --result left | grep -o '"path":"[^"]*"' | cut -d '"' -f 4 | grep "$from\$" | while read -r f; do
    [ -e "$f" ] && [ ! -e "${f%$from}$into" ] || { echo "$f was said to be left"; exit 1; }
done || fail "the ledger is not true"
[ -z "$($O audit show --json --result left | head -n 1)" ] && fail "nothing was left, so nothing was tried"
$O audit verify >out 2>err || fail "the ledger is not sound"
$O "$@" >out 2>err || fail "the next run failed"
left=$(find tides -name "*.$from" | wc -l)
[ "$left" = 0 ] || fail "$left files are still to be done"
[ "$(find tides -name "*.$into" | wc -l)" = 40 ] || fail "not all of them are there in the end"
