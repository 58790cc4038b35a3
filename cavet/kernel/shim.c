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
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <linux/i2c-dev.h>
#include <linux/i2c.h>
#include <linux/spi/spidev.h>
#include <pthread.h>
#include <stdarg.h>
#include <stdint.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/syscall.h>
#include <sys/uio.h>
#include <sys/un.h>
#include <unistd.h>

#define MOST_FILES 65536
#define MOST_MAPPED 64
#define MOST_MESSAGES 42
#define MOST_BYTES 8192

#define MOST_SPI 4096 /* the kernel's usual `bufsiz` */

#define SPI_BIT (1ULL << 62) /* of a handle: it is an SPI device */

enum { OPEN_FILE = 1, SET = 2, TRANSFER = 3, SMBUS = 4, GET = 5, MESSAGE = 6 };

/* What goes over the socket: `size` bytes follow. */
struct question { uint32_t size, kind; uint64_t handle; uint64_t first, second; };
struct answer { uint32_t size; int32_t error; uint64_t value; };
/* Of each message of a transfer, before all that is written. */
struct part { uint16_t address, flags, length, unused; };

/* The same of each SPI transfer. */
struct shift { uint32_t length, rate; uint16_t delay; uint8_t bits, changes; };

struct mapped { const char *path, *kind, *target; };

static struct mapped devices[MOST_MAPPED];
static int count_of_devices;
static const char *place;
static uint64_t handles[MOST_FILES]; /* by descriptor; 0 for what is none of ours */
static int channel = -1;
static pid_t owner;
static pthread_mutex_t lock = PTHREAD_MUTEX_INITIALIZER;

#define REAL(type, name, ...) \
    static type (*real_##name)(__VA_ARGS__); \
    if (!real_##name) real_##name = (type (*)(__VA_ARGS__))dlsym(RTLD_NEXT, #name)

__attribute__((constructor)) static void begin(void)
{
    char *map = getenv("CAVET_KERNEL_MAP");
    place = getenv("CAVET_KERNEL");
    if (!map || !place)
        return;
    map = strdup(map);
    for (char *kept, *line = strtok_r(map, "\n", &kept); line && count_of_devices < MOST_MAPPED;
         line = strtok_r(NULL, "\n", &kept)) {
        char *kind = strchr(line, '\t'), *target;
        if (!kind)
            continue;
        *kind++ = 0;
        target = strchr(kind, '\t');
        if (target)
            *target++ = 0;
        devices[count_of_devices++] = (struct mapped){line, kind, target};
    }
    pthread_atfork(NULL, NULL, NULL);
}

static struct mapped *find(const char *path)
{
    for (int at = 0; path && at < count_of_devices; at++)
        if (!strcmp(devices[at].path, path))
            return &devices[at];
    return NULL;
}

static uint64_t handle_of(int file)
{
    return count_of_devices && file >= 0 && file < MOST_FILES ? handles[file] : 0;
}

static int connect_there(void)
{
    struct sockaddr_un at = {.sun_family = AF_UNIX};
    int file = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);
    if (file < 0)
        return -1;
    strncpy(at.sun_path, place, sizeof at.sun_path - 1);
    if (connect(file, (struct sockaddr *)&at, sizeof at) < 0) {
        syscall(SYS_close, file);
        return -1;
    }
    return file;
}

static int send_all(int file, const void *data, size_t size)
{
    while (size) {
        ssize_t done = send(file, data, size, MSG_NOSIGNAL);
        if (done < 0 && errno == EINTR)
            continue;
        if (done <= 0)
            return -1;
        data = (const char *)data + done;
        size -= done;
    }
    return 0;
}

static int receive_all(int file, void *data, size_t size)
{
    while (size) {
        ssize_t done = recv(file, data, size, 0);
        if (done < 0 && errno == EINTR)
            continue;
        if (done <= 0)
            return -1;
        data = (char *)data + done;
        size -= done;
    }
    return 0;
}

/* Ask over a connection; give the error, 0 for none, and what came in `into`, of at most `room` bytes. */
static int ask_over(int file, struct question *asked, const void *data, void *into, size_t room, uint64_t *value)
{
    struct answer came;
    if (send_all(file, asked, sizeof *asked) < 0 || send_all(file, data, asked->size) < 0)
        return -1;
    if (receive_all(file, &came, sizeof came) < 0 || came.size > room || receive_all(file, into, came.size) < 0)
        return -1;
    if (value)
        *value = came.value;
    return came.error;
}

static int ask(struct question *asked, const void *data, void *into, size_t room, uint64_t *value)
{
    int error = EIO;
    pthread_mutex_lock(&lock);
    if (channel >= 0 && owner != getpid())
        channel = -1; /* it is the parent's */
    if (channel < 0) {
        channel = connect_there();
        owner = getpid();
    }
    if (channel >= 0) {
        error = ask_over(channel, asked, data, into, room, value);
        if (error < 0) { /* the bench is gone */
            syscall(SYS_close, channel);
            channel = -1;
            error = EIO;
        }
    }
    pthread_mutex_unlock(&lock);
    return error;
}

static int failed(int error)
{
    errno = error;
    return -1;
}

static int copy_in(void *to, const void *from, size_t size)
{
    struct iovec mine = {to, size}, theirs = {(void *)from, size};
    if (!size)
        return 0;
    return process_vm_readv(getpid(), &mine, 1, &theirs, 1, 0) == (ssize_t)size ? 0 : -1;
}

static int copy_out(void *to, const void *from, size_t size)
{
    struct iovec mine = {(void *)from, size}, theirs = {to, size};
    if (!size)
        return 0;
    return process_vm_writev(getpid(), &mine, 1, &theirs, 1, 0) == (ssize_t)size ? 0 : -1;
}

/* opening and shutting */

static int open_mapped(struct mapped *device, int flags)
{
    struct question asked = {.size = strlen(device->path), .kind = OPEN_FILE, .first = getpid()};
    uint64_t handle = 0;
    int error, file = connect_there();
    if (file < 0)
        return failed(EIO);
    error = file >= MOST_FILES ? EMFILE : ask_over(file, &asked, device->path, NULL, 0, &handle);
    if (error) {
        syscall(SYS_close, file);
        return failed(error < 0 ? EIO : error);
    }
    if (!(flags & O_CLOEXEC))
        syscall(SYS_fcntl, file, F_SETFD, 0);
    handles[file] = handle;
    return file;
}

#define OPENS(name, first, firsts, path_at) \
    int name(firsts const char *path, int flags, ...) \
    { \
        mode_t mode = 0; \
        struct mapped *device = count_of_devices ? find(path) : NULL; \
        REAL(int, name, firsts const char *, int, ...); \
        if (flags & (O_CREAT | __O_TMPFILE)) { \
            va_list more; \
            va_start(more, flags); \
            mode = va_arg(more, mode_t); \
            va_end(more); \
        } \
        if (device && strcmp(device->kind, "file")) \
            return open_mapped(device, flags); \
        return real_##name(first device ? device->target : path, flags, mode); \
    }

OPENS(open, , , 0)
OPENS(open64, , , 0)
#define FOLDER folder,
#define FOLDERS int folder,
OPENS(openat, FOLDER, FOLDERS, 1)
OPENS(openat64, FOLDER, FOLDERS, 1)

int __open_2(const char *path, int flags) { return open(path, flags); }
int __open64_2(const char *path, int flags) { return open64(path, flags); }

int close(int file)
{
    REAL(int, close, int);
    if (handle_of(file))
        handles[file] = 0;
    return real_close(file);
}

int dup(int file)
{
    REAL(int, dup, int);
    int other = real_dup(file);
    if (other >= 0 && other < MOST_FILES)
        handles[other] = handle_of(file);
    return other;
}

int dup2(int file, int other)
{
    REAL(int, dup2, int, int);
    int done = real_dup2(file, other);
    if (done >= 0 && done < MOST_FILES && done != file)
        handles[done] = handle_of(file);
    return done;
}

int dup3(int file, int other, int flags)
{
    REAL(int, dup3, int, int, int);
    int done = real_dup3(file, other, flags);
    if (done >= 0 && done < MOST_FILES)
        handles[done] = handle_of(file);
    return done;
}

/* I2C. Source: linux/i2c-dev.h. */

static int set(uint64_t handle, uint64_t what, uint64_t value)
{
    struct question asked = {.kind = SET, .handle = handle, .first = what, .second = value};
    int error = ask(&asked, NULL, NULL, 0, NULL);
    return error ? failed(error) : 0;
}

static int transfer(uint64_t handle, void *argument)
{
    struct i2c_rdwr_ioctl_data all;
    struct i2c_msg messages[MOST_MESSAGES];
    static __thread unsigned char out[MOST_MESSAGES * (sizeof(struct part) + MOST_BYTES)];
    static __thread unsigned char in[MOST_MESSAGES * (2 + MOST_BYTES)];
    struct question asked = {.kind = TRANSFER, .handle = handle};
    unsigned char *at;
    uint64_t came = 0;
    int error;

    if (copy_in(&all, argument, sizeof all) < 0)
        return failed(EFAULT);
    if (!all.msgs || !all.nmsgs || all.nmsgs > MOST_MESSAGES)
        return failed(EINVAL);
    if (copy_in(messages, all.msgs, all.nmsgs * sizeof *messages) < 0)
        return failed(EFAULT);
    at = out;
    for (uint32_t n = 0; n < all.nmsgs; n++) {
        struct part part = {messages[n].addr, messages[n].flags, messages[n].len, 0};
        if (messages[n].len > MOST_BYTES)
            return failed(EINVAL);
        memcpy(at, &part, sizeof part);
        at += sizeof part;
    }
    for (uint32_t n = 0; n < all.nmsgs; n++) {
        size_t size = messages[n].len;
        if (messages[n].flags & I2C_M_RD && !(messages[n].flags & I2C_M_RECV_LEN))
            continue;
        if (messages[n].flags & I2C_M_RECV_LEN)
            size = size ? 1 : 0; /* how many bytes are read besides the block */
        if (copy_in(at, messages[n].buf, size) < 0)
            return failed(EFAULT);
        at += size;
    }
    asked.size = at - out;
    asked.first = all.nmsgs;
    error = ask(&asked, out, in, sizeof in, &came);
    if (error)
        return failed(error);
    at = in;
    for (uint32_t n = 0; n < all.nmsgs; n++) {
        uint16_t size;
        if (!(messages[n].flags & I2C_M_RD))
            continue;
        memcpy(&size, at, sizeof size);
        at += sizeof size;
        if (copy_out(messages[n].buf, at, size) < 0)
            return failed(EFAULT);
        if (messages[n].flags & I2C_M_RECV_LEN)
            copy_out(&all.msgs[n].len, &size, sizeof size);
        at += size;
    }
    return all.nmsgs;
}

static int smbus(uint64_t handle, void *argument)
{
    struct i2c_smbus_ioctl_data call;
    union i2c_smbus_data data, came;
    struct question asked = {.kind = SMBUS, .handle = handle};
    uint64_t size = 0;
    int error;

    if (copy_in(&call, argument, sizeof call) < 0)
        return failed(EFAULT);
    memset(&data, 0, sizeof data);
    if (call.data && copy_in(&data, call.data, sizeof data) < 0) {
        size_t least = call.size == I2C_SMBUS_WORD_DATA || call.size == I2C_SMBUS_PROC_CALL ? 2 : 1;
        if (call.size >= I2C_SMBUS_BLOCK_DATA && call.size != I2C_SMBUS_BYTE_DATA) /* as long as its first byte says */
            least = copy_in(&data, call.data, 1) < 0 ? 1 : 1 + (data.block[0] > 32 ? 32 : data.block[0]);
        if (copy_in(&data, call.data, least) < 0)
            return failed(EFAULT);
    }
    if (!call.data && call.size != I2C_SMBUS_QUICK && !(call.size == I2C_SMBUS_BYTE && call.read_write == I2C_SMBUS_WRITE))
        return failed(EINVAL);
    asked.size = sizeof data;
    asked.first = (uint64_t)call.read_write << 8 | call.command;
    asked.second = call.size;
    error = ask(&asked, &data, &came, sizeof came, &size);
    if (error)
        return failed(error);
    if (size && copy_out(call.data, &came, size) < 0)
        return failed(EFAULT);
    return 0;
}

/* SPI. Source: linux/spi/spidev.h and Documentation/spi/spidev. */

static int spi_message(uint64_t handle, unsigned long request, void *argument)
{
    struct spi_ioc_transfer transfers[_IOC_SIZEMASK / sizeof(struct spi_ioc_transfer) + 1];
    size_t count = _IOC_SIZE(request) / sizeof *transfers, total = 0;
    static __thread unsigned char out[sizeof transfers + MOST_SPI], in[MOST_SPI];
    struct question asked = {.kind = MESSAGE, .handle = handle, .first = count};
    unsigned char *at = out;
    int error;

    if (_IOC_SIZE(request) % sizeof *transfers)
        return failed(EINVAL);
    if (!count)
        return 0;
    if (copy_in(transfers, argument, count * sizeof *transfers) < 0)
        return failed(EFAULT);
    for (size_t n = 0; n < count; n++) {
        struct shift shift = {transfers[n].len, transfers[n].speed_hz, transfers[n].delay_usecs,
                              transfers[n].bits_per_word, transfers[n].cs_change};
        if (transfers[n].len > MOST_SPI || (total += transfers[n].len) > MOST_SPI)
            return failed(EMSGSIZE);
        memcpy(at, &shift, sizeof shift);
        at += sizeof shift;
    }
    for (size_t n = 0; n < count; n++) {
        void *from = (void *)(uintptr_t)transfers[n].tx_buf;
        memset(at, 0, transfers[n].len);
        if (from && copy_in(at, from, transfers[n].len) < 0)
            return failed(EFAULT);
        at += transfers[n].len;
    }
    asked.size = at - out;
    error = ask(&asked, out, in, sizeof in, NULL);
    if (error)
        return failed(error);
    at = in;
    for (size_t n = 0; n < count; n++) {
        void *into = (void *)(uintptr_t)transfers[n].rx_buf;
        if (into && copy_out(into, at, transfers[n].len) < 0)
            return failed(EFAULT);
        at += transfers[n].len;
    }
    return total;
}

static int spi_control(uint64_t handle, unsigned long request, void *argument)
{
    struct question asked = {.kind = GET, .handle = handle, .first = _IOC_NR(request)};
    uint64_t value = 0;
    size_t size = _IOC_SIZE(request);
    int error;

    if (_IOC_NR(request) == 0 && _IOC_DIR(request) == _IOC_WRITE)
        return spi_message(handle, request, argument);
    if (_IOC_NR(request) < 1 || _IOC_NR(request) > 5 || (size != 1 && size != 4))
        return failed(ENOTTY);
    if (_IOC_DIR(request) == _IOC_WRITE) {
        if (copy_in(&value, argument, size) < 0)
            return failed(EFAULT);
        return set(handle, _IOC_NR(request), value);
    }
    error = ask(&asked, NULL, NULL, 0, &value);
    if (error)
        return failed(error);
    return copy_out(argument, &value, size) < 0 ? failed(EFAULT) : 0;
}

static int i2c_control(uint64_t handle, unsigned long request, void *argument)
{
    unsigned long functions = I2C_FUNC_I2C | I2C_FUNC_10BIT_ADDR | I2C_FUNC_SMBUS_EMUL | I2C_FUNC_SMBUS_PEC
        | I2C_FUNC_SMBUS_READ_BLOCK_DATA | I2C_FUNC_SMBUS_BLOCK_PROC_CALL;
    switch (request) {
    case I2C_RDWR:
        return transfer(handle, argument);
    case I2C_SMBUS:
        return smbus(handle, argument);
    case I2C_FUNCS:
        return copy_out(argument, &functions, sizeof functions) < 0 ? failed(EFAULT) : 0;
    case I2C_SLAVE:
    case I2C_SLAVE_FORCE:
    case I2C_TENBIT:
    case I2C_PEC:
    case I2C_RETRIES:
    case I2C_TIMEOUT:
        return set(handle, request, (uint64_t)(uintptr_t)argument);
    }
    return failed(ENOTTY);
}

int ioctl(int file, unsigned long request, ...)
{
    void *argument;
    uint64_t handle = handle_of(file);
    va_list more;
    REAL(int, ioctl, int, unsigned long, ...);
    va_start(more, request);
    argument = va_arg(more, void *);
    va_end(more);
    if (!handle)
        return real_ioctl(file, request, argument);
    if (handle & SPI_BIT)
        return _IOC_TYPE(request) == SPI_IOC_MAGIC ? spi_control(handle, request, argument) : failed(ENOTTY);
    return i2c_control(handle, request, argument);
}

/* Plain reading and writing: a transfer with the address that was set. */
static ssize_t plain(uint64_t handle, void *buffer, size_t size, int reads)
{
    static __thread unsigned char data[sizeof(struct part) + MOST_BYTES + 2];
    struct part part = {0xFFFF, reads ? I2C_M_RD : 0, size > MOST_BYTES ? MOST_BYTES : size, 0};
    struct question asked = {.size = sizeof part, .kind = TRANSFER, .handle = handle, .first = 1};
    int error;

    memcpy(data, &part, sizeof part);
    if (!reads) {
        if (copy_in(data + sizeof part, buffer, part.length) < 0)
            return failed(EFAULT);
        asked.size += part.length;
    }
    error = ask(&asked, data, data, sizeof data, NULL);
    if (error)
        return failed(error);
    if (reads && copy_out(buffer, data + 2, part.length) < 0)
        return failed(EFAULT);
    return part.length;
}

ssize_t read(int file, void *buffer, size_t size)
{
    uint64_t handle = handle_of(file);
    REAL(ssize_t, read, int, void *, size_t);
    return handle ? plain(handle, buffer, size, 1) : real_read(file, buffer, size);
}

ssize_t write(int file, const void *buffer, size_t size)
{
    uint64_t handle = handle_of(file);
    REAL(ssize_t, write, int, const void *, size_t);
    return handle ? plain(handle, (void *)buffer, size, 0) : real_write(file, buffer, size);
}
