# SPDX-License-Identifier: Apache-2.0
# What other scripts have in common: a depot, old readings below t/, a policy of one rule about them. $O has the policy.
set -e
export ASAN_OPTIONS=detect_leaks=0
O="$O --policy policy.yaml"
mkdir -p t depot
fail() { echo "FAILED: $1"; cat out err; exit 1; }
# status STATUS COMMAND...: runs it; its output is in `out` and `err`
status() {
    expected=$1
    shift
    s=0
    "$@" >out 2>err || s=$?
    [ $s = $expected ] || fail "$*: status $s"
}
# faulty FAULT PATH CALL COMMAND...: each CALL about PATH fails so, in every thread; the status is in $s
faulty() {
    fault=$1 about=$2 call=$3
    shift 3
    s=0
    strace -f -qq -o trace -P "$about" -e trace=$call -e inject=$call:$fault "$@" >out 2>err || s=$?
}
# policy ACT WHERE: the act is due after 30 days
policy() {
    printf 'olvido: 1\ndepots: { cold-room: { path: %s/depot } }\nrules:\n  - { name: readings, under: %s/t, where: %s, steps: [ { after: 30 days, do: %s } ] }\n' \
        $PWD $PWD "$2" "$1" >policy.yaml
}
old() {
    for f; do
        mkdir -p "${f%/*}"
        echo "tide $f" >$f
        touch -d '400 days ago' $f
    done
}
# t/r.csv is due, in a directory of everybody, and nothing has been done yet
everybodys() {
    rm -rf t state
    old t/r.csv
    chmod 1777 t
}
# which_call PATTERN: of the trace: which one of its thread's calls the first that fits was
which_call() {
    awk -v fits="$1" '{ n[$1]++ } $0 ~ fits { print n[$1]; exit }' trace
}
# directory t/d with readings in it is due; and so is all that is named
due_directory() {
    policy discard 'kind = directory and name = "d"'
    old "$@"
    find t/d -type d -exec touch -d '400 days ago' {} +
}
