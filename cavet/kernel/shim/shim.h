/* Put before the C library's calls by the loader: hands what a program does with a mapped device to a bench, over a Unix
 * socket. Everything else goes its way untouched; where nothing is mapped, nothing is looked at.
 *
 * CAVET_KERNEL is the socket, CAVET_KERNEL_MAP the devices, a line each: PATH, a tab, `i2c` or `file`, a tab, and for a
 * file the path that is opened in its place.
 *
 * A mapped device's descriptor is a connection to the bench: the bench sees by it when all copies of it are shut. What is
 * asked goes over a second connection, one for each process, a question at a time. Memory of the program is only touched
 * by the kernel's copying calls, so that a wrong pointer is EFAULT, and no crash.
 *
 * Sources: the kernel's headers linux/i2c.h and linux/i2c-dev.h, and Documentation/i2c/dev-interface.
 */
#ifndef SHIM_H
#define SHIM_H
#ifndef _GNU_SOURCE
#define _GNU_SOURCE
#endif
#include <errno.h>
#include <stdint.h>
#include <string.h>
#include <sys/types.h>
#include <unistd.h>

#define MOST_BYTES 8192 /* of an I2C message */
#define SPI_BIT (1ULL << 62) /* of a handle: it is an SPI device */

enum { OPEN_FILE = 1, SET = 2, TRANSFER = 3, SMBUS = 4, GET = 5, MESSAGE = 6, WHICH = 7 };

/* What goes over the socket: `size` bytes follow. */
struct question { uint32_t size, kind; uint64_t handle; uint64_t first, second; };
struct answer { uint32_t size; int32_t error; uint64_t value; };
/* Of each message of a transfer, before all that is written. */
struct part { uint16_t address, flags, length, unused; };

/* The same of each SPI transfer. */
struct shift { uint32_t length, rate; uint16_t delay; uint8_t bits, changes; };

/* Asking the bench: `asking.c`. Each gives an error number, 0 for none; below 0 the connection is gone. */
void ask_at(const char *path);
int connect_there(void);
int is_there(int file);
int ask_over(int file, struct question *asked, const void *data, void *into, size_t room, uint64_t *value);
int ask(struct question *asked, const void *data, void *into, size_t room, uint64_t *value);
int set(uint64_t handle, uint64_t what, uint64_t value);

/* The program's memory, copied by the kernel: below 0 where a pointer is wrong. */
int copy_in(void *to, const void *from, size_t size);
int copy_out(void *to, const void *from, size_t size);
int failed(int error);

/* What can be asked of an opened device: `i2c.c`, `spi.c`. */
int i2c_control(uint64_t handle, unsigned long request, void *argument);
int spi_control(uint64_t handle, unsigned long request, void *argument);
ssize_t plain(uint64_t handle, void *buffer, size_t size, int reads);

#endif
