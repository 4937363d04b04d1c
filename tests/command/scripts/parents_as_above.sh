# SPDX-License-Identifier: Apache-2.0
# Directories that have gone are made again for what comes back: they belong to whom the nearest one above belongs, in a
# directory of everybody to whom the file belongs; and never through a link that somebody has put in their place.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
mkdir -p h elsewhere
stage() { # MODE OWNER
    printf 'olvido: 1\ndepots: { cold-room: { path: %s/depot } }\nrules:\n  - { name: r, under: %s/h, steps: [ { after: 30 days, do: %s } ] }\n' \
        $PWD $PWD "$act" >policy.yaml
    rm -rf h
    old h/a/b/r.csv
    chown -R 4243:4243 h/a
    chown $2 h
    chmod $1 h
    status 0 $O enforce --yes
    rm -rf h/a
}
facts() { stat -c '%u:%g %a' $*; }
for act in discard 'archive, depot: cold-room'; do
    stage 2750 4242:4244
    status 0 $O recover $PWD/h/a/b/r.csv
    [ "$(facts h/a)/$(facts h/a/b)" = '4242:4244 2750/4242:4244 2750' ] || fail "$act: $(facts h/a h/a/b)"
    stage 1777 0:0
    status 0 $O recover $PWD/h/a/b/r.csv
    [ "$(facts h/a)/$(facts h/a/b)" = '4243:4243 755/4243:4243 755' ] || fail "$act, everybody's: $(facts h/a h/a/b)"
    [ "$(facts h/a/b/r.csv)" = '4243:4243 644' ] || fail "$act: the file is another's"
    [ -z "$(find h -name '.olvido*')" ] || fail 'something is left lying'
    stage 1777 0:0
    ln -s $PWD/elsewhere h/a
    status 1 $O recover $PWD/h/a/b/r.csv
    grep -q 'a link or a file is where its directory was' out err || fail 'nobody tells of the link'
    [ -z "$(ls elsewhere)" ] || fail 'something was made behind a link'
    rm h/a
    status 0 $O recover $PWD/h/a/b/r.csv
done
