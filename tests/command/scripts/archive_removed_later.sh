# SPDX-License-Identifier: Apache-2.0
# An archive that had to go and could not is tried again by whatever run comes next, and the ledger says when it went:
# by us, or before we looked.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy delete 'kind = file'
for by in us others; do
    old t/low.csv
    status 0 $O archive t/low.csv --depot cold-room -y
    chattr +i depot/by-hand* 2>/dev/null || { echo 'no such attribute here'; exit 0; }
    status 1 $O enforce --yes --count 1
    grep -q 'every run retries removing it: Operation not permitted' err || fail 'nobody hears that it is tried again'
    chattr -i depot/by-hand*
    case $by in us) want=done ;; *) want=unknown && rm depot/by-hand* ;; esac
    status 1 $O recover nothing.csv
    [ -z "$(ls depot)" ] || fail 'it is not tried again'
    status 0 $O audit show
    grep -q "archive removed: $want.*/depot/by-hand" out || fail "the ledger does not say $want"
    n=$(grep -c 'archive removed' out)
    status 1 $O recover nothing.csv
    [ "$($O audit show | grep -c 'archive removed')" = $n ] || fail 'it is said twice'
    status 0 $O audit verify
done
