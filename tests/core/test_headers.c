/* SPDX-License-Identifier: Apache-2.0 */
/* Each public header can be included alone, and all of them in one file. */
#include "support/command.h"

static void headers_stand_alone_and_together(void **state)
{
    shell_ok(*state,
             "cd \"$OLVIDO_SOURCE/include\"\n"
             "all=\n"
             "for h in olvido/*.h; do\n"
             "    echo \"#include \\\"$h\\\"\" | cc -std=c11 -D_POSIX_C_SOURCE=200809L -Wall -Werror "
             "-fsyntax-only -I . -x c -\n"
             "    all=\"$all -include $h\"\n"
             "done\n"
             "cc -std=c11 -D_POSIX_C_SOURCE=200809L -Wall -Werror -fsyntax-only -I . $all -x c /dev/null\n");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup_teardown(headers_stand_alone_and_together, sandbox_setup, sandbox_teardown),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
