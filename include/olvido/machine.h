/* SPDX-License-Identifier: Apache-2.0 */
/* What a front end needs to know about the machine. */
#ifndef OLVIDO_MACHINE_H
#define OLVIDO_MACHINE_H

#include "olvido/calendar.h"

struct olv_instant olv_os_now(void);
/* Columns of the terminal at `fd`, or 0. */
unsigned olv_os_terminal_width(int fd);

#endif
