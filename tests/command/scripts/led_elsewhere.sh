# SPDX-License-Identifier: Apache-2.0
# Whoever owns a directory can put a link in the place of what root names there: a link of another user is not followed, wherever
# on the way it stands; root's own are.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
reading() {
    mkdir -p "${1%/*}"
    seq -f 'tide %g' 400 >$1
    touch -d '400 days ago' $1
}
reading safe/d/r.csv
cp -a safe kept
mkdir theirs made
ln -s ../safe theirs/t
ln -s ../safe theirs/back
chown -h 4242 theirs theirs/t theirs/back
policy tell 'kind = file'
status 0 $O archive $PWD/kept --to $PWD/kept.tar --keep -y
status 0 $O enforce --yes
same() { diff -r --no-dereference safe kept >out 2>&1 || fail "$1: root was led elsewhere"; }
refused() { # STATUS WORDS...
    wanted=$1
    shift
    s=0
    $O "$@" >out 2>err || s=$?
    [ $s = $wanted ] || fail "$*: status $s"
    grep -q 'a link on the way to it belongs to user number 4242' out err || fail "$*: nobody says why"
    same "$*"
}
refused 1 compress theirs/t/d/r.csv -y
refused 1 compress theirs/t/d -y
refused 1 compress $PWD/theirs/t/ -y
refused 1 compress made/../theirs/./t/d/r.csv -y
refused 1 archive theirs/t/d --to $PWD/made/a.tar -y
refused 3 archive kept --to theirs/back/a.tar -y
refused 3 extract kept.tar --into theirs/back
refused 3 extract kept.tar --into theirs/back/new
refused 3 recover '**' --into theirs/back
refused 3 demo theirs/back/new
refused 3 demo theirs/back/d
for act in compress discard 'archive, depot: cold-room' 'delete'; do
    for under in theirs/t theirs/t/d "theirs/t/*"; do
        policy "$act" 'kind = file'
        sed -i "s|under: [^,]*|under: \"$PWD/$under\"|" policy.yaml
        status 0 $O check
        grep -q 'a link on the way to it belongs to user number 4242' out err || [ "$under" = 'theirs/t/*' ] || fail "$under: check says nothing"
        s=0
        $O enforce --yes --count 1 >out 2>err || s=$?
        same "$act under $under"
        grep -q 'a link on the way to it belongs to user number 4242' out err || fail "$act under $under: nobody says why"
    done
done
# a link of root's, also one that leads through another, and up
ln -s safe ours
ln -s made/../ours made.link
policy compress 'kind = file'
sed -i "s|under: [^,]*|under: $PWD/made.link/d|" policy.yaml
status 0 $O enforce --yes
[ -e safe/d/r.csv.zst ] || fail "a link of root's is not followed"
status 0 $O decompress made.link/d/r.csv.zst -y
same decompress
status 0 $O extract kept.tar --into made/new
status 0 $O demo made.link/new
[ -e safe/new/policy.yaml ] || fail "a link of root's is not followed by demo"
