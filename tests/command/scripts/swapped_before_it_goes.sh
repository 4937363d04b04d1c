# SPDX-License-Identifier: Apache-2.0
# swapped_before_it_goes.sh CALL: exactly between the last look at a file and its removal another one is renamed over its
# name, in a directory of our own: the newcomer is not lost. CALL is what takes a file aside.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
seq 4000 >precious
for act in delete archive compress; do
    rm -rf t depot state
    mkdir -p t depot
    seq 4000 >t/r.csv
    touch -d '400 days ago' t/r.csv
    policy tell 'name = "r.csv"'
    case $act in
    delete)
        policy delete 'name = "r.csv"'
        set -- $1 enforce --yes
        ;;
    archive) set -- $1 archive t/r.csv --depot cold-room -y ;;
    compress) set -- $1 compress t/r.csv -y ;;
    esac
    call=$1
    shift
    cp precious young
    touch -d '400 days ago' young
    rm -f trace
    strace -f -qq -o trace -P $PWD/t -e trace=$call -e inject=$call:delay_enter=1s $O "$@" >out 2>err &
    for i in $(seq 300); do grep -q '"r.csv"' trace 2>/dev/null && break; sleep 0.02; done
    mv young t/r.csv
    s=0
    wait $! || s=$?
    grep -q '"r.csv"' trace || fail "$act: nothing is taken aside"
    cmp precious t/r.csv || fail "$act: the newcomer is lost"
    [ -z "$(ls -A t | grep olvido)" ] || fail "$act: $(ls -A t)"
    [ ! -e t/r.csv.zst ] || fail "$act: the new file stays"
    $O audit show --json --result left | grep -q 't/r.csv' || fail "$act: the ledger says otherwise"
    status 0 $O audit verify
    set -- $call
done
