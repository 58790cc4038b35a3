/* Put before the C library's calls by the loader: hands what a program does with a mapped device to a bench, over a Unix
 * socket. Everything else goes its way untouched; where nothing is mapped, nothing is looked at.
 *
 * CAVET_KERNEL is the socket, CAVET_KERNEL_MAP the devices, a line each: PATH, a tab, `i2c`, `spi`, `gpio` or `file`,
 * a tab, and for a file the path that is opened in its place.
 *
 * A mapped device's descriptor is a connection to the bench: the bench sees by it when all copies of it are shut, and a
 * byte stands in it while there is something to read, so that the kernel's own poll, select and epoll work on it. What is
 * asked goes over a second connection, one for each process, a question at a time. Descriptors are looked at each time
 * that they are used: so nothing need be known of how they were shut. Memory of the program is only touched
 * by the kernel's copying calls, so that a wrong pointer is EFAULT, and no crash.
 *
 * Sources: the kernel's headers linux/i2c.h, linux/i2c-dev.h, linux/spi/spidev.h, linux/gpio.h, and its documents on them.
 */
#ifndef SHIM_H
#define SHIM_H
#ifndef _GNU_SOURCE
#define _GNU_SOURCE
#endif
#include <dlfcn.h>
#include <errno.h>
#include <stdint.h>
#include <string.h>
#include <sys/types.h>
#include <unistd.h>

#define MOST_BYTES 8192 /* of an I2C message */
#define MOST_SPI 4096 /* of an SPI message: the kernel's usual `bufsiz` */
/* A call that the loader finds here first, and the one that it stands before. */
#define SHOWN __attribute__((visibility("default")))
#define REAL(type, name, ...) \
    static type (*real_##name)(__VA_ARGS__); \
    if (!real_##name) real_##name = (type (*)(__VA_ARGS__))dlsym(RTLD_NEXT, #name)

#define KIND_OF(handle) ((handle) >> 56)

enum { OPEN_FILE = 1, SET, TRANSFER, SMBUS, GET, MESSAGE, WHICH, CONTROL, REQUEST, EVENTS, READ, WRITE };
enum { I2C_KIND = 1, SPI_KIND, CHIP_KIND, LINES_KIND }; /* what a handle is of */

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
int ask_sized(
    struct question *asked, const void *data, void *into, size_t room, uint64_t *value, size_t *size);
int set(uint64_t handle, uint64_t what, uint64_t value);

int failed(int error);

/* The program's memory, copied by the kernel: below 0 where a pointer is wrong. And room for one call: `memory.c`. */
int copy_in(void *to, const void *from, size_t size);
int copy_out(void *to, const void *from, size_t size);
void *take_room(size_t size);
void give_room(void *room, size_t size);

/* What stands for a mapped device: `devices.c`. A handle is 0 for what is none of ours. */
struct mapped { const char *path, *kind, *target; };
#pragma GCC visibility push(hidden)
extern int count_of_devices;
struct mapped *find(const char *path);
int is_answered(struct mapped *device);
#define MOST_FILES 65536
extern uint64_t handles[MOST_FILES]; /* by descriptor; what was shut since stands there still */
uint64_t looked_at(int file);

static inline uint64_t handle_of(int file)
{
    return (unsigned)file < MOST_FILES && __builtin_expect(handles[file] != 0, 0) ? looked_at(file) : 0;
}

void keep_handle(int file, uint64_t handle);
int open_mapped(struct mapped *device, int flags);
int open_over(struct question *asked, const void *data);
ssize_t read_device(int file, uint64_t handle, void *buffer, size_t size);
ssize_t write_device(uint64_t handle, const void *buffer, size_t size);

/* What can be asked of an opened device: `i2c.c`, `spi.c`, `gpio.c`. */
int i2c_control(uint64_t handle, unsigned long request, void *argument);
int spi_control(uint64_t handle, unsigned long request, void *argument);
int gpio_control(uint64_t handle, unsigned long request, void *argument);
ssize_t gpio_read(int file, uint64_t handle, void *buffer, size_t size);
#pragma GCC visibility pop

#endif
