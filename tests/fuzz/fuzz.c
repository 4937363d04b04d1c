/* SPDX-License-Identifier: Apache-2.0 */
#include "fuzz.h"

#include <unistd.h>

const char *fuzz_temporary;

void fuzz_tidy(void)
{
    unlink(fuzz_temporary);
}
