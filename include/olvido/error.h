/* SPDX-License-Identifier: Apache-2.0 */
/* A failure is a value, set once where it is understood best and printed only by the front end. */
#ifndef OLVIDO_ERROR_H
#define OLVIDO_ERROR_H

#include <stdbool.h>

enum olv_code {
    OLV_OK = 0,
    OLV_USAGE,       /* what was asked makes no sense */
    OLV_POLICY,      /* the policy is wrong; the details are diagnostics */
    OLV_SYSTEM,      /* the operating system said no */
    OLV_REFUSED,     /* a guard, a limit or an answer said no */
    OLV_NO_GAIN,     /* it would change nothing for the better, and need not be tried again */
    OLV_CHANGED,     /* what is there differs from what was judged */
    OLV_EXISTS,      /* the place is taken */
    OLV_UNTRUSTED,   /* somebody else could have put it there */
    OLV_STATE,       /* could not begin: lock, state directory, trash or ledger */
    OLV_BROKEN,      /* a ledger does not verify */
    OLV_INTERRUPTED, /* interrupted by the user */
    OLV_MEMORY       /* memory ran out */
};

struct olv_error {
    enum olv_code code;
    int sys;          /* errno, or 0 */
    const char *hint; /* what the person can do: a string literal; NULL: nothing known */
    char what[320];   /* what was attempted, or what is wrong */
    char path[264];   /* the path, raw bytes; a long one is shortened to "…" and its end; may be empty */
};

/* Resets it to OLV_OK, without writing all of it. */
void olv_error_clear(struct olv_error *err);
/* Fill `err`; all return false, so a function can end with `return olv_fail(...)`. */
bool olv_fail(struct olv_error *err, enum olv_code code, const char *format, ...);
/* The same for a failed system call: takes errno and the path. */
bool olv_fail_system(struct olv_error *err, const char *path, const char *format, ...);
bool olv_fail_memory(struct olv_error *err);
/* Additions to an error that is set. */
bool olv_error_at(struct olv_error *err, const char *path);
bool olv_error_hint(struct olv_error *err, const char *hint);
/* Changes the class of an error (the class decides the exit status). */
bool olv_error_as(struct olv_error *err, enum olv_code code);

#ifdef __clang_analyzer__ /* which looks into one file at a time, and so does not see that they return false \
                           */
#define olv_fail(...)        ((void)olv_fail(__VA_ARGS__), false)
#define olv_fail_system(...) ((void)olv_fail_system(__VA_ARGS__), false)
#define olv_fail_memory(err) ((void)olv_fail_memory(err), false)
#endif

#endif
