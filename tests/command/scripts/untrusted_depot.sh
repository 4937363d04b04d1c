# SPDX-License-Identifier: Apache-2.0
# A depot that others can write: nothing goes there, nothing is deleted there, and what comes back is what the catalogue knows,
# to the byte. Nothing that the ledger has not sealed comes into the catalogue.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy 'archive, depot: cold-room' 'kind = file'
mkdir -p above
mv depot above/depot
ln -s above/depot depot
for pack in tar tar.gz; do
    rm -rf t state back back2 above/depot/*
    old t/r.csv t/s.csv
    chmod 640 t/r.csv
    mkdir t/d && ln -s /srv/tides t/d/link && mkfifo t/d/pipe
    status 0 $O archive $PWD/t --depot cold-room --pack $pack --keep -y
    archive=$(ls above/depot)

    # who can write it, or replace it
    refused() { # WHY
        status 0 $O check
        grep -q "depot cold-room.*$1" err out || fail "$pack: check does not say: $1"
        old t/new.csv
        status 3 $O archive $PWD/t/new.csv --depot cold-room -y
        grep -q "$1" out err || fail "$pack: nobody says: $1"
        [ -e t/new.csv ] && [ "$(ls above/depot)" = "$archive" ] || fail "$pack: it was archived there"
        rm -rf t/new.csv
    }
    untrusted() { # WHY
        refused "$1"
        rm -rf back
        status 0 $O recover $PWD/t --into back
        grep -q 'others could have changed' err || fail "$pack: recover does not warn: $1"
        diff -r --no-dereference t back/t >out 2>&1 || true
        [ "$(stat -c %a back/t/r.csv)" = 640 ] && cmp t/s.csv back/t/s.csv || fail "$pack: what is right does not come back"
        status 0 $O depot verify
        grep -q 'but not forgery' err || fail "$pack: verify does not warn: $1"
    }
    chmod 775 above/depot; untrusted 'others can write the depot'; chmod 755 above/depot
    chown 4242 above/depot; untrusted 'the depot belongs to user number 4242'; chown 0 above/depot
    setfacl -m u:4242:rwx above/depot; untrusted 'others can write the depot'; setfacl -b above/depot
    chmod 1777 above/depot; untrusted 'others can write the depot'; chmod 755 above/depot
    chmod 777 above; untrusted 'others can write in a directory above the depot'; chmod 755 above
    chown -h 4242 depot; refused 'a link on the way to the depot belongs to user number 4242'; chown -h 0 depot
    chmod 1777 above # sticky, and the depot is ours
    status 0 $O check
    grep -q 'others can write' err out && fail "$pack: a depot in a sticky directory is refused"
    status 0 $O recover $PWD/t/r.csv --into back2
    grep -q 'others could' err && fail "$pack: a depot in a sticky directory is doubted"
    chmod 755 above

    # another header, the same contents: set-id, owner, another name; and other contents
    cp -a above/depot/$archive good
    for what in mode owner name contents; do
        python3 "$OLVIDO_SOURCE/tests/command/scripts/forge.py" $what good above/depot/$archive
        cmp -s good above/depot/$archive && fail "$pack, $what: nothing was forged"
        for trust in yes no; do
            [ $trust = yes ] || chmod 777 above/depot
            rm -rf back
            s=0
            $O recover $PWD/t/r.csv --into back >out 2>err || s=$?
            [ $s != 0 ] && [ -z "$(find back -name '*.csv' 2>/dev/null)" ] || fail "$pack, $what, trusted: $trust: it comes back"
        done
        chmod 755 above/depot
    done
    cp -a good above/depot/$archive
    status 0 $O recover $PWD/t/r.csv --into back

    # a catalogue that is read anew: from what the ledger has sealed, and from nothing else
    chmod 777 above/depot
    rm -f state/catalogue.db*
    status 0 $O depot rebuild
    grep -q 'only archives that the ledger knows' err || fail "$pack: rebuild does not warn"
    rm -rf back
    status 0 $O recover $PWD/t/r.csv --into back
    mkdir -m 755 others
    sed "s|$PWD/depot|$PWD/others|" policy.yaml >others.yaml
    status 0 $OLVIDO --state others-state --policy others.yaml archive $PWD/t/s.csv --depot cold-room --pack $pack --keep -y
    mv others/* above/depot/planted.$pack
    status 1 $O depot rebuild
    grep -q 'planted.*the ledger does not know it' out err || fail "$pack: nobody says why it is not taken"
    [ "$($O depot show --json | wc -l)" = 1 ] || fail "$pack: what was planted is in the catalogue"
    chmod 755 above/depot
    status 0 $O depot rebuild
    [ "$($O depot show --json | wc -l)" = 2 ] || fail "$pack: into a trusted depot it may come"
    rm -rf others others-state above/depot/planted.$pack good
done

# nothing is deleted there, neither what is due nor what is to go
rm -rf t state above/depot/*
old t/r.csv
status 0 $O archive $PWD/t/r.csv --depot cold-room -y
sed -i 's/steps:.*/steps: [ { after: 60 days, do: archive, depot: cold-room, pack: tar }, { after: 90 days, do: delete } ] }/' policy.yaml
chmod 777 above/depot
status 3 $O enforce --yes --count 1
grep -q 'others can write the depot' err out || fail 'nobody says why it is not deleted'
[ -n "$(ls above/depot)" ] || fail 'it was deleted there'
chmod 755 above/depot
status 0 $O enforce --yes --count 1
[ -z "$(ls above/depot)" ] || fail 'it was not deleted'
status 0 $O audit verify
