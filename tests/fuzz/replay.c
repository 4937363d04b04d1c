/* SPDX-License-Identifier: Apache-2.0 */
/* replay DIRECTORY: every file of a corpus through the fuzz target that this is linked with. */
#include "fuzz.h"

#include <dirent.h>
#include <fcntl.h>
#include <setjmp.h>
#include <stdarg.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cmocka.h>

static const char *corpus;

static void replay(int dir, const char *name)
{
    struct stat st;
    uint8_t *bytes;
    int fd = openat(dir, name, O_RDONLY);
    assert_true(fd >= 0);
    assert_int_equal(fstat(fd, &st), 0);
    bytes = malloc((size_t)st.st_size + 1);
    assert_int_equal(read(fd, bytes, (size_t)st.st_size), st.st_size);
    close(fd);
    assert_int_equal(LLVMFuzzerTestOneInput(bytes, (size_t)st.st_size), 0);
    free(bytes);
}

static void the_corpus_does_no_harm(void **state)
{
    DIR *dir = opendir(corpus);
    struct dirent *entry;
    int files = 0;
    (void)state;
    assert_non_null(dir);
    while ((entry = readdir(dir)))
        if (entry->d_name[0] != '.') {
            replay(dirfd(dir), entry->d_name);
            files++;
        }
    closedir(dir);
    assert_true(files > 0);
    LLVMFuzzerTestOneInput((const uint8_t *)"", 0);
}

int main(int count, char **words)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(the_corpus_does_no_harm)};
    if (count != 2)
        return 2;
    corpus = words[1];
    return cmocka_run_group_tests(tests, NULL, NULL);
}
