# SPDX-License-Identifier: Apache-2.0
# What a file was before it was compressed stands in a note on it: only one of this state directory, about this very file as it is.
# Whoever can write a file gains nothing by writing a note.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy compress 'name like "*.csv"'
NOTE=user.olvido.origin
reading() { # FILE: one that is due, and gets smaller
    mkdir -p "${1%/*}"
    seq -f 'tide %g' 400 >$1
    touch -d '40 days ago' $1
}
is_known() { # FILE
    status 0 $O explain $1
    grep -q 'Was *r.csv' out || fail "$1: its note does not count"
}
is_unknown() { # FILE WHY
    s=0
    $O explain $1 >out 2>err || s=$?
    [ $s -le 1 ] && ! grep -q 'Was ' out || fail "$1: its note counts, though $2"
}
was_of() { # ARCHIVE: what its manifest says
    tar -xOf $1 .olvido-manifest.jsonl | grep -o '"was":"[^"]*","was_size":[0-9]*' || true
}
reading t/r.csv
status 0 $O enforce --yes
is_known t/r.csv.zst
note=$(getfattr --only-values -n $NOTE t/r.csv.zst)
[ "$(stat -c %a state/keys/notes.key)" = 600 ] || fail 'others can read the key'

# a stranger's file, with that note, and all that can be seen made the same
reading t/theirs.csv
gzip -n t/theirs.csv
setfattr -n $NOTE -v "$note" t/theirs.csv.gz
is_unknown t/theirs.csv.gz 'it was copied from another file'
truncate -s $(stat -c %s t/r.csv.zst) t/theirs.csv.gz
touch -r t/r.csv.zst t/theirs.csv.gz
is_unknown t/theirs.csv.gz 'it is about another file of that size and time'
cp -a t/r.csv.zst t/copy.csv.zst
is_unknown t/copy.csv.zst 'it is a copy'
# the file itself, changed; its note, changed
touch -d '41 days ago' t/r.csv.zst
is_unknown t/r.csv.zst 'its time has changed'
touch -r t/copy.csv.zst t/r.csv.zst
is_known t/r.csv.zst
printf x >>t/r.csv.zst
touch -r t/copy.csv.zst t/r.csv.zst
is_unknown t/r.csv.zst 'its length has changed'
truncate -s -1 t/r.csv.zst
touch -r t/copy.csv.zst t/r.csv.zst
is_known t/r.csv.zst
for change in 's/r.csv/q.csv/' 's/"size":[0-9]*/"size":1/' 's/compress/decompress/' 's/"mac":"./"mac":"x/' 's/,"mac":"[^"]*"//' 's/"mac":"[^"]*"/"mac":""/' 's/.*/x/'; do
    setfattr -n $NOTE -v "$(printf %s "$note" | sed "$change")" t/r.csv.zst
    is_unknown t/r.csv.zst "it was altered: $change"
done
setfattr -n $NOTE -v "$note" t/r.csv.zst
is_known t/r.csv.zst
mv t/r.csv.zst t/moved.csv.zst # it is the same file
is_known t/moved.csv.zst
mv t/moved.csv.zst t/r.csv.zst
# another state directory, and one without its key
s=0
$OLVIDO --state others --policy policy.yaml explain t/r.csv.zst >out 2>err || s=$?
! grep -q 'Was ' out || fail 'a note of another state directory counts'
mv state/keys/notes.key aside.key
is_unknown t/r.csv.zst 'there is no key'
mv aside.key state/keys/notes.key
printf 'x\n' >aside.key
cp -a state/keys/notes.key key
cp aside.key state/keys/notes.key
status 5 $O explain t/r.csv.zst
grep -q 'key for notes is damaged' err || fail 'nobody says that the key is damaged'
cp -a key state/keys/notes.key

# archived, the former name stands in manifest and catalogue; the note itself does not
setfattr -n user.station -v 7 t/r.csv.zst
status 0 $O archive $PWD/t --depot cold-room --pack tar --keep -y
[ "$(was_of depot/*.tar)" = '"was":"r.csv","was_size":'$(seq -f 'tide %g' 400 | wc -c) ] || fail "the manifest says: $(was_of depot/*.tar)"
tar -xOf depot/*.tar .olvido-manifest.jsonl | grep -q 'user.station' || fail 'an attribute is missing'
! tar -xOf depot/*.tar .olvido-manifest.jsonl | grep -q 'user.olvido' || fail 'the note is archived'
known() { python3 -c 'import sqlite3; print([[a.decode(), b] for a, b in sqlite3.connect("state/catalogue.db").execute("select was_name, was_size from member where was_name is not null")])'; }
first=$(known)
case $first in "[['r.csv', "*"]]") ;; *) fail "the catalogue says: $first" ;; esac
rm state/catalogue.db*
status 0 $O depot rebuild
[ "$(known)" = "$first" ] || fail "a catalogue that was read anew says: $(known)"

# without attributes, or times of birth: the table of what files had answers, and no note that somebody brings along
rm -rf depot/* state t
mkdir t
mount -t ramfs none t
reading t/r.csv
status 0 $O enforce --yes
[ -z "$(getfattr -n $NOTE t/r.csv.zst 2>/dev/null)" ] || fail 'there is a note after all'
is_known t/r.csv.zst
status 0 $O archive $PWD/t/r.csv.zst --depot cold-room --pack tar --keep -y
[ "$(was_of depot/*.tar)" = '"was":"r.csv","was_size":'$(seq -f 'tide %g' 400 | wc -c) ] || fail "the manifest says, from the table: $(was_of depot/*.tar)"
umount t
