# SPDX-License-Identifier: Apache-2.0
# Somebody opens for writing, over and over, what root has due: no run of root's ends by a signal, and each file is where
# it was or where the ledger says.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
mkdir -p t
cat >opener.py <<'P'
import os, sys
os.setuid(4242)
while True:
    for root, _, files in os.walk("t"):
        for name in files:
            try:
                os.close(os.open(os.path.join(root, name), os.O_WRONLY | os.O_NONBLOCK))
            except OSError:
                pass
P
chmod 755 . t
python3 opener.py 2>/dev/null &
opener=$!
trap 'kill $opener' EXIT
for act in compress 'archive, depot: cold-room' delete discard; do
    policy "$act" 'kind = file'
    for n in $(seq 40); do
        seq 400 >t/r$n.csv
        touch -d '400 days ago' t/r$n.csv
    done
    chmod 666 t/*
    for round in 1 2 3; do
        s=0
        $O enforce --yes --count "$(ls t | grep -c 'csv$')" >out 2>err || s=$?
        [ $s -le 3 ] || fail "$act: status $s"
    done
    status 0 $O audit verify
    rm -f t/*
done
kill -0 $opener || fail 'nobody opened anything'
