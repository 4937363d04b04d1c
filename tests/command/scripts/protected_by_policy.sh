# SPDX-License-Identifier: Apache-2.0
# A rule protects once, levels stack by who set them, a person's word counts, and nothing grows younger by it.
rule() { # STEPS [MORE]
    printf 'olvido: 1\nrules:\n  - name: permits\n    under: %s/office\n%b    steps:\n%b' "$PWD" "${2-}" "$1" >"$top/p.yaml"
}
E="$O --policy $top/p.yaml"; mkdir office; for n in a b c; do echo $n >office/$n; done; touch -d '40 days ago' office/*
rule '      - { after: 1 day, do: protect, as: frozen }\n'
status 0 $E check; status 0 $E enforce --yes; says '3 protected'; status 0 $E enforce --yes; says 'nothing was due'
status 0 $O protect --show office; says ' by rule permits, '

# The rule's and a person's: each lifts what it set.
status 0 $O protect office/a --as frozen; run=$($O --json audit show --act protect --rule permits | sed -n 's/.*"run":"\([^"]*\)".*/\1/p' | head -n 1)
status 0 $O recover --run "$run"; [ "$(lsattr office/b | cut -c5)" = - ] || fail 'b is frozen'
[ "$(lsattr office/a | cut -c5)" = i ] || fail 'the person did not ask for that'
status 0 $O unprotect office/a

# What a person unprotected is not protected again.
rule '      - { after: 1 day, do: protect, as: append-only }\n'; status 0 $E enforce --yes; says '3 protected'
status 0 $O unprotect office/a; status 0 $E enforce --yes; says 'nothing was due'
[ "$(lsattr office/a | cut -c6)" = - ] && [ "$(lsattr office/b | cut -c6)" = a ] || fail 'protected again'
status 0 $O unprotect office --tree --yes

# By its ctime a file is as old as before, though its attributes changed.
echo d >office/d; before=$(date -d "$(stat -c %z office/d)" +%s); sleep 1.1
status 0 $O protect office/d --as frozen; status 0 $O unprotect office/d
rule '      - { after: 0 days, do: tell }\n' '    age-from: changed\n'
$E --json explain office/d >"$top/out"; says "$(date -u -d "@$before" +%Y-%m-%dT%H:%M:%S)"
chmod 600 office/d; $E --json explain office/d >"$top/out"; says "$(date -u -d "$(stat -c %z office/d)" +%Y-%m-%dT%H:%M:%S)"

# What removes must be let.
rule '      - { after: 1 day, do: protect, as: frozen }\n      - { after: 2 days, do: delete }\n'
status 2 $E check; says 'it cannot delete what the step in line 6 still protects'; says 'do: unprotect'
rule '      - { after: 1 day, do: protect, as: frozen }\n      - { after: 2 days, do: unprotect }\n      - { after: 2 days, do: delete }\n'
status 0 $E check
# Both have come: it is lifted in one run, and goes in the next.
rm -r office; mkdir office; echo f >office/f; touch -d '40 days ago' office/f
steps='      - { after: 1 day, do: protect, as: frozen }\n'; rule "$steps"; status 0 $E enforce --yes; says '1 protected'
rule "$steps      - { after: 2 days, do: unprotect }\n      - { after: 3 days, do: delete }\n"
status 0 $E enforce --yes; says '1 unprotected'; [ -e office/f ] || fail 'gone too early'
status 0 $E enforce --yes; says '1 deleted'; [ ! -e office/f ] || fail 'not deleted'
