# SPDX-License-Identifier: Apache-2.0
# removals.sh WHAT: leaves a run that was killed, so that whoever settles it must remove WHAT (see src/file/removal.h).
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
# killed_at CALL PATTERN COMMAND...: before the first call that fits; all begins as it was
killed_at() {
    call=$1 fits=$2
    shift 2
    rm -rf kept
    mkdir kept
    [ ! -e data ] || cp -a data kept
    cp -a t depot kept
    [ ! -e state ] || cp -a state kept
    s=0
    strace -f -qq -o trace -e trace=$call $weak "$@" >out 2>err || s=$?
    n=$(which_call "$fits")
    [ -n "$n" ] || { cat trace; fail "no $call fits $fits"; }
    rm -rf t depot state data
    cp -a kept/. .
    rm -rf kept
    s=0
    strace -f -qq -o trace -e trace=$call $weak -e inject=$call:signal=KILL:when=$n "$@" >out 2>err || s=$?
    [ $s = 137 ] || fail "$1: it was not killed, but $s"
}
weak=
replaced() {
    policy compress 'kind = file'
    seq 4000 >t/r.csv
    echo newcomer >t/r.csv.zst
    touch -d '400 days ago' t/r.csv
}
case $1 in
temporary)
    replaced
    killed_at renameat2 'r.csv.zst' $O compress t/r.csv --if-exists replace -y
    ;;
new-file)
    replaced
    rm t/r.csv.zst
    killed_at unlinkat '"r.csv"' $O compress t/r.csv -y
    ;;
replaced)
    replaced
    killed_at unlinkat '[.]part' $O compress t/r.csv --if-exists replace -y
    ;;
half)
    policy discard 'kind = file'
    old t/r.csv
    weak='-e trace=renameat2,unlinkat -e inject=renameat2:error=EINVAL'
    killed_at unlinkat '"r.csv"' $O enforce --yes
    ;;
staged)
    policy delete 'kind = file'
    everybodys
    weak='-e trace=renameat2,unlinkat -e inject=renameat2:error=EINVAL'
    killed_at unlinkat '"r.csv"' $O enforce --yes
    ;;
thing)
    policy tell 'kind = file'
    ln -s nowhere t/link
    echo tide >t/r.csv
    status 0 $O archive t --depot cold-room -y
    mkdir t
    killed_at renameat2 '"link"' $O recover t
    ;;
beside)
    policy tell 'kind = file'
    old t/r.csv t/s.csv
    killed_at unlinkat '"r.csv"' $O archive t/r.csv t/s.csv --to t/a.tar -y
    ;;
made | made-again)
    policy tell 'kind = file'
    old t/r.csv t/s.csv
    [ $1 = made ] || status 0 $O archive t/r.csv t/s.csv --depot cold-room --keep -y
    first=$(ls depot)
    echo "depot/$first" >first
    killed_at renameat2 '"r.csv"' $O archive t/r.csv t/s.csv --depot cold-room -y
    python3 - "$first" <<'P' # the run was killed a little earlier: its row is what it was then
import os, sqlite3, sys
c = sqlite3.connect("state/catalogue.db")
name = [os.fsencode(n) for n in os.listdir("depot") if n != sys.argv[1]][0]
st = os.stat(b"depot/" + name)
born = os.popen("stat -c %%W.%%w depot/%s" % os.fsdecode(name)).read()
seconds, text = born.split(".", 1)
nanoseconds = int(text.split(".")[1].split()[0])
assert c.execute("UPDATE archive SET state = 0, temporary = ?, inode = ?, born_s = ?, born_ns = ? WHERE id = "
                 "(SELECT max(id) FROM archive)",
                 (b".olvido-made.part", st.st_ino, int(seconds), nanoseconds)).rowcount == 1
c.execute("DELETE FROM frame WHERE archive = (SELECT max(id) FROM archive)")
c.commit()
P
    ;;
going)
    policy delete 'kind = file'
    old t/r.csv
    status 0 $O archive t/r.csv --depot cold-room -y
    killed_at unlinkat '"by-hand' $O enforce --yes --count 1
    ;;
info)
    policy discard 'kind = file'
    old t/r.csv
    killed_at renameat2 '"r.csv"' $O enforce --yes
    ;;
esac
