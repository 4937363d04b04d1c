/* SPDX-License-Identifier: Apache-2.0 */
/* at_call: runs a command and stops the world at its Nth call of a kind, counted in one order over all
 * threads and children: no two of these calls are ever under way at once, so what a thread does behind
 * another's back has its number, too.
 *
 *     at_call [--trace KINDS] [--besides TEXT] [--on TEXT] [--at N] [--do WHAT] [--hook COMMAND]
 *             [--report FILE] [--early N] [--early-hook COMMAND] -- COMMAND...
 *
 *   KINDS   changes (the default: whatever alters a file system), syncs, opens, reads, looks, memory, rest,
 *           or names of system calls with commas between
 *   --besides  calls whose path has TEXT do not count (up to eight times)
 *   --on    only calls whose path has TEXT count
 *   WHAT    kill, int, term, hup (the signal arrives at the call, which is not made), short (half of a
 *           write), lie (a bit of what is written is another, and the call says that all is well), or an
 *           error: ENOSPC, EIO, EMFILE, ENOMEM, EINTR (which the call fails with, and is not made)
 *   --hook  is run by a shell when the Nth call has been reached, before WHAT; the world stands still
 *   --early-hook  the same at an earlier call, after which all goes on
 *   --log   writes a line for every call
 *
 * The report says "reached NAME PATH-OR-DESCRIPTOR" or "passed COUNT". The exit status is the command's, or
 * 128 and the signal. seccomp(2) lets all other calls run at full speed. x86-64 only: elsewhere it ends
 * with 77. */
#define _GNU_SOURCE
#include <errno.h>
#include <fcntl.h>
#include <linux/audit.h>
#include <linux/filter.h>
#include <linux/seccomp.h>
#include <signal.h>
#include <stdarg.h>
#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/prctl.h>
#include <sys/ptrace.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <sys/uio.h>
#include <sys/user.h>
#include <sys/wait.h>
#include <unistd.h>

enum { UNSUPPORTED = 77, MOST_WAITING = 256, MOST_BESIDES = 8 };

static void die(const char *what)
{
    perror(what);
    exit(70);
}

#ifndef __x86_64__
int main(void)
{
    return UNSUPPORTED;
}
#else

/* ---- what is traced ---- */

struct call {
    const char *name, *kinds;
    int number, path; /* which argument is the path; -1: a descriptor comes first */
    bool is_write;    /* its third argument is a length */
};

#define CALL(name, kinds, path, is_write)                                                                    \
    {                                                                                                        \
#name, kinds, SYS_##name, path, is_write                                                             \
    }

static const struct call calls[] = {
    CALL(write, "changes", -1, true),
    CALL(pwrite64, "changes", -1, true),
    CALL(writev, "changes", -1, false),
    CALL(fsync, "changes syncs", -1, false),
    CALL(fdatasync, "changes syncs", -1, false),
    CALL(syncfs, "changes syncs", -1, false),
    CALL(sync, "changes syncs", -1, false),
    CALL(openat, "changes opens", 1, false),
    CALL(open, "changes opens", 0, false),
    CALL(creat, "changes opens", 0, false),
    CALL(openat2, "opens", 1, false),
    CALL(mkdirat, "changes", 1, false),
    CALL(mkdir, "changes", 0, false),
    CALL(unlinkat, "changes", 1, false),
    CALL(unlink, "changes", 0, false),
    CALL(rmdir, "changes", 0, false),
    CALL(renameat2, "changes", 1, false),
    CALL(renameat, "changes", 1, false),
    CALL(rename, "changes", 0, false),
    CALL(linkat, "changes", 3, false),
    CALL(link, "changes", 1, false),
    CALL(symlinkat, "changes", 2, false),
    CALL(mknodat, "changes", 1, false),
    CALL(ftruncate, "changes", -1, false),
    CALL(fallocate, "changes", -1, false),
    CALL(fchmod, "changes", -1, false),
    CALL(fchmodat, "changes", 1, false),
    CALL(fchown, "changes", -1, false),
    CALL(fchownat, "changes", 1, false),
    CALL(utimensat, "changes", 1, false),
    CALL(fsetxattr, "changes", -1, false),
    CALL(fremovexattr, "changes", -1, false),
    CALL(setxattr, "changes", 0, false),
    CALL(copy_file_range, "changes", -1, false),
    CALL(read, "reads", -1, false),
    CALL(pread64, "reads", -1, false),
    CALL(getdents64, "reads", -1, false),
    CALL(statx, "looks", 1, false),
    CALL(newfstatat, "looks", 1, false),
    CALL(mmap, "memory", -1, false), /* brk(2) has no error to give */
    CALL(getrandom, "rest", -1, false),
    CALL(sched_getaffinity, "rest", -1, false),
    CALL(flock, "rest", -1, false),
    CALL(lseek, "rest", -1, false),
    CALL(dup, "rest", -1, false),
    CALL(fstatfs, "rest", -1, false),
    CALL(ioctl, "changes rest", -1, false),
    CALL(fgetxattr, "rest", -1, false),
    CALL(flistxattr, "rest", -1, false),
    CALL(readlinkat, "rest", 1, false),
    CALL(getcwd, "rest", -1, false),
};
enum { CALLS = sizeof calls / sizeof *calls };

static bool has_word(const char *list, const char *word, const char *between)
{
    size_t len = strlen(word);
    for (const char *at = list; *at; at += strspn(at, between)) {
        size_t n = strcspn(at, between);
        if (n == len && memcmp(at, word, len) == 0)
            return true;
        at += n;
    }
    return false;
}

static const char *kinds = "changes";

static bool is_traced(const struct call *call)
{
    char words[64];
    snprintf(words, sizeof words, "%s", call->kinds);
    for (char *word = strtok(words, " "); word; word = strtok(NULL, " "))
        if (has_word(kinds, word, ","))
            return true;
    return has_word(kinds, call->name, ",");
}

static void install_filter(void)
{
    struct sock_filter code[2 * CALLS + 8];
    unsigned short n = 0;
    code[n++] = (struct sock_filter)BPF_STMT(BPF_LD | BPF_W | BPF_ABS, offsetof(struct seccomp_data, nr));
    for (int i = 0; i < CALLS; i++) {
        if (!is_traced(&calls[i]))
            continue;
        code[n++] = (struct sock_filter)BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, (unsigned)calls[i].number, 0, 1);
        code[n++] = (struct sock_filter)BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_TRACE);
    }
    code[n++] = (struct sock_filter)BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ALLOW);
    struct sock_fprog program = {n, code};
    if (prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) < 0 ||
        prctl(PR_SET_SECCOMP, SECCOMP_MODE_FILTER, &program) < 0)
        die("seccomp");
}

/* ---- one call ---- */

static struct {
    unsigned long at, early, count;
    const char *what, *hook, *early_hook, *report;
    const char *besides[MOST_BESIDES], *on;
    int besides_count;
    FILE *log;
    pid_t child;
    bool is_reached;
} world = {.what = "kill"};

static const struct call *call_of(const struct user_regs_struct *r)
{
    for (int i = 0; i < CALLS; i++)
        if (calls[i].number == (int)r->orig_rax)
            return &calls[i];
    return NULL;
}

static unsigned long long argument(const struct user_regs_struct *r, int i)
{
    const unsigned long long in[] = {r->rdi, r->rsi, r->rdx, r->r10, r->r8, r->r9};
    return in[i];
}

static void read_string(pid_t thread, unsigned long long at, char *out, size_t size)
{
    struct iovec local = {out, size - 1}, remote = {(void *)(uintptr_t)at, size - 1};
    ssize_t got = process_vm_readv(thread, &local, 1, &remote, 1, 0);
    if (got < 0) { /* it may end where the next page is not there */
        remote.iov_len = local.iov_len = 256 - (at & 255);
        got = process_vm_readv(thread, &local, 1, &remote, 1, 0);
    }
    out[got < 0 ? 0 : got] = '\0';
}

static void describe(pid_t thread, const struct call *c, const struct user_regs_struct *r, char *out,
                     size_t size)
{
    char link[64], text[4096] = "";
    ssize_t got = 0;
    if (c->path >= 0) {
        read_string(thread, argument(r, c->path), text, sizeof text);
    }
    if (!*text) {
        snprintf(link, sizeof link, "/proc/%d/fd/%d", (int)thread, (int)r->rdi);
        got = readlink(link, text, sizeof text - 1);
        text[got < 0 ? 0 : got] = '\0';
    }
    snprintf(out, size, "%s %s", c->name, text);
}

static bool is_besides(pid_t thread, const struct call *c, const struct user_regs_struct *r)
{
    char text[4200];
    if (!world.besides_count && !world.on)
        return false;
    describe(thread, c, r, text, sizeof text);
    if (world.on && !strstr(text, world.on))
        return true;
    for (int i = 0; i < world.besides_count; i++)
        if (strstr(text, world.besides[i]))
            return true;
    return false;
}

/* Writing to a terminal, a pipe or a descriptor of the shell's changes no file; nor does opening to read. */
static bool counts(pid_t thread, const struct call *c, const struct user_regs_struct *r)
{
    if (is_besides(thread, c, r))
        return false;
    if (c->is_write || c->number == SYS_writev)
        return (int)r->rdi > 2;
    if (has_word(kinds, "opens", ",") || (c->number != SYS_openat && c->number != SYS_open))
        return true;
    return (argument(r, c->number == SYS_openat ? 2 : 1) & (O_CREAT | O_TMPFILE | O_TRUNC) & ~O_DIRECTORY) !=
           0;
}

static int error_of(const char *what)
{
    static const struct {
        const char *name;
        int number;
    } errors[] = {{"ENOSPC", ENOSPC}, {"EIO", EIO},       {"EMFILE", EMFILE}, {"ENOMEM", ENOMEM},
                  {"EINTR", EINTR},   {"EACCES", EACCES}, {"EPERM", EPERM},   {"EROFS", EROFS}};
    for (size_t i = 0; i < sizeof errors / sizeof *errors; i++)
        if (strcmp(errors[i].name, what) == 0)
            return errors[i].number;
    return 0;
}

/* The bit of the program's own memory that a lie has changed, until the call is made. */
static struct {
    char byte;
    unsigned long long at; /* 0: none */
} lie;

static void write_byte(pid_t thread, unsigned long long at, char byte)
{
    struct iovec local = {&byte, 1}, remote = {(void *)(uintptr_t)at, 1};
    if (process_vm_writev(thread, &local, 1, &remote, 1, 0) != 1)
        die("process_vm_writev");
}

static void begin_lie(pid_t thread, const struct user_regs_struct *r)
{
    struct iovec local = {&lie.byte, 1}, remote;
    lie.at = r->rsi + r->rdx / 2;
    remote = (struct iovec){(void *)(uintptr_t)lie.at, 1};
    if (process_vm_readv(thread, &local, 1, &remote, 1, 0) != 1)
        die("process_vm_readv");
    write_byte(thread, lie.at, lie.byte ^ 4);
}

static void end_lie(pid_t thread)
{
    if (lie.at)
        write_byte(thread, lie.at, lie.byte);
    lie.at = 0;
}

static void run_hook(const char *hook)
{
    if (hook && system(hook) != 0)
        fprintf(stderr, "at_call: the hook failed\n");
}

/* What the thread's call is to return once it was skipped; 0: it is made. */
static int act(pid_t thread, const struct call *c, struct user_regs_struct *r)
{
    int error = error_of(world.what), sent = strcmp(world.what, "int") == 0    ? SIGINT
                                             : strcmp(world.what, "term") == 0 ? SIGTERM
                                             : strcmp(world.what, "hup") == 0  ? SIGHUP
                                                                               : 0;
    run_hook(world.hook);
    if (strcmp(world.what, "kill") == 0) {
        kill(world.child, SIGKILL);
    } else if (sent) {
        kill(world.child, sent); /* and the call is made */
    } else if (strcmp(world.what, "short") == 0 && c->is_write && r->rdx > 1) {
        r->rdx /= 2;
        ptrace(PTRACE_SETREGS, thread, 0, r);
    } else if (strcmp(world.what, "lie") == 0 && c->is_write && r->rdx) {
        begin_lie(thread, r);
    } else if (error) {
        r->orig_rax = (unsigned long long)-1;
        ptrace(PTRACE_SETREGS, thread, 0, r);
    }
    return error;
}

static void report(const char *format, ...)
{
    va_list args;
    FILE *file = world.report ? fopen(world.report, "w") : NULL;
    if (!file)
        return;
    va_start(args, format);
    vfprintf(file, format, args);
    va_end(args);
    fclose(file);
}

/* The thread stands before a traced call. True with the error that it is to get when its turn has come. */
static bool enter(pid_t thread, int *error)
{
    struct user_regs_struct r;
    const struct call *c;
    char text[4200];
    *error = 0;
    if (ptrace(PTRACE_GETREGS, thread, 0, &r) < 0 || !(c = call_of(&r)) || !counts(thread, c, &r))
        return false;
    world.count++;
    if (world.log || world.count == world.at)
        describe(thread, c, &r, text, sizeof text);
    if (world.log)
        fprintf(world.log, "%lu %d %s\n", world.count, (int)thread, text);
    if (world.count == world.early)
        run_hook(world.early_hook);
    if (world.count == world.at) {
        world.is_reached = true;
        report("reached %s\n", text);
        *error = act(thread, c, &r);
    }
    return true;
}

static void leave(pid_t thread, int error)
{
    struct user_regs_struct r;
    end_lie(thread);
    if (error && ptrace(PTRACE_GETREGS, thread, 0, &r) == 0) {
        r.rax = (unsigned long long)-(long long)error;
        ptrace(PTRACE_SETREGS, thread, 0, &r);
    }
}

/* ---- all threads ---- */

static struct {
    pid_t waiting[MOST_WAITING]; /* before a traced call, in the order in which they came */
    int count;
    pid_t under_way; /* 0: none */
    int error;
} turn;

static void next_turn(void)
{
    while (!turn.under_way && turn.count) {
        pid_t thread = turn.waiting[0];
        memmove(turn.waiting, turn.waiting + 1, (size_t)--turn.count * sizeof *turn.waiting);
        if (enter(thread, &turn.error)) {
            turn.under_way = thread;
            ptrace(PTRACE_SYSCALL, thread, 0, 0);
        } else {
            ptrace(PTRACE_CONT, thread, 0, 0);
        }
    }
}

static void stopped(pid_t thread, int status)
{
    int signal = WSTOPSIG(status), event = status >> 16;
    if (event == PTRACE_EVENT_SECCOMP) {
        if (turn.count < MOST_WAITING)
            turn.waiting[turn.count++] = thread;
    } else if (signal == (SIGTRAP | 0x80)) { /* a call was made */
        leave(thread, turn.error);
        if (turn.under_way == thread)
            turn.under_way = 0;
        ptrace(PTRACE_CONT, thread, 0, 0);
    } else if (event || signal == SIGSTOP) { /* a thread or a child came, or was told to wait for us */
        ptrace(PTRACE_CONT, thread, 0, 0);
    } else if (turn.under_way == thread) {
        ptrace(PTRACE_SYSCALL, thread, 0, signal);
    } else {
        ptrace(PTRACE_CONT, thread, 0, signal);
    }
}

static int watch(void)
{
    int status, result = 0;
    pid_t thread;
    while ((thread = waitpid(-1, &status, __WALL)) > 0 || errno == EINTR) {
        if (thread <= 0)
            continue;
        if (WIFSTOPPED(status)) {
            stopped(thread, status);
        } else {
            if (turn.under_way == thread)
                turn.under_way = 0;
            for (int i = 0; i < turn.count; i++)
                if (turn.waiting[i] == thread)
                    memmove(turn.waiting + i, turn.waiting + i + 1,
                            (size_t)(--turn.count - i) * sizeof *turn.waiting);
            if (thread == world.child)
                result = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
        }
        next_turn();
    }
    if (!world.is_reached)
        report("passed %lu\n", world.count);
    return result;
}

static void begin(char **command)
{
    int status;
    world.child = fork();
    if (world.child < 0)
        die("fork");
    if (world.child == 0) {
        raise(SIGSTOP);
        install_filter();
        execvp(command[0], command);
        die(command[0]);
    }
    if (waitpid(world.child, &status, WUNTRACED) < 0 ||
        ptrace(PTRACE_SEIZE, world.child, 0,
               PTRACE_O_TRACESECCOMP | PTRACE_O_TRACECLONE | PTRACE_O_TRACEFORK | PTRACE_O_TRACEVFORK |
                   PTRACE_O_TRACESYSGOOD | PTRACE_O_EXITKILL) < 0)
        die("ptrace");
    kill(world.child, SIGCONT);
}

int main(int count, char **words)
{
    int i = 1;
    for (; i + 1 < count && strcmp(words[i], "--") != 0; i += 2) {
        if (strcmp(words[i], "--trace") == 0)
            kinds = words[i + 1];
        else if (strcmp(words[i], "--besides") == 0 && world.besides_count < MOST_BESIDES)
            world.besides[world.besides_count++] = words[i + 1];
        else if (strcmp(words[i], "--on") == 0)
            world.on = words[i + 1];
        else if (strcmp(words[i], "--at") == 0)
            world.at = strtoul(words[i + 1], NULL, 10);
        else if (strcmp(words[i], "--do") == 0)
            world.what = words[i + 1];
        else if (strcmp(words[i], "--hook") == 0)
            world.hook = words[i + 1];
        else if (strcmp(words[i], "--early") == 0)
            world.early = strtoul(words[i + 1], NULL, 10);
        else if (strcmp(words[i], "--early-hook") == 0)
            world.early_hook = words[i + 1];
        else if (strcmp(words[i], "--report") == 0)
            world.report = words[i + 1];
        else if (strcmp(words[i], "--log") == 0)
            world.log = fopen(words[i + 1], "w");
    }
    if (i + 1 >= count)
        return 64;
    begin(words + i + 1);
    return watch();
}
#endif
