/* Asking the bench over its socket, a question at a time. */
#include "shim.h"
#include <pthread.h>
#include <sys/socket.h>
#include <sys/syscall.h>
#include <sys/un.h>

static const char *place;
static int channel = -1;
static pid_t owner;
static pthread_mutex_t lock = PTHREAD_MUTEX_INITIALIZER;
static __thread volatile int is_asking; /* whether this thread is in the middle of a question */

static void before_fork(void)
{
    if (!is_asking)
        pthread_mutex_lock(&lock);
}

static void after_fork(void)
{
    if (!is_asking)
        pthread_mutex_unlock(&lock);
}

void ask_at(const char *path)
{
    place = path;
    pthread_atfork(before_fork, after_fork, after_fork); /* never in the middle of a question */
}

/* Whether a descriptor is a connection to the bench: one that was kept over an exec. */
int is_there(int file)
{
    struct sockaddr_un at = {0};
    socklen_t size = sizeof at;
    return getpeername(file, (struct sockaddr *)&at, &size) == 0 && at.sun_family == AF_UNIX
        && !strcmp(at.sun_path, place);
}

int connect_there(void)
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
static int ask_sized_over(
    int file, struct question *asked, const void *data, void *into, size_t room, uint64_t *value, size_t *size)
{
    struct answer came;
    if (send_all(file, asked, sizeof *asked) < 0 || send_all(file, data, asked->size) < 0)
        return -1;
    if (receive_all(file, &came, sizeof came) < 0 || came.size > room || receive_all(file, into, came.size) < 0)
        return -1;
    if (value)
        *value = came.value;
    if (size)
        *size = came.size;
    return came.error;
}

int ask_over(int file, struct question *asked, const void *data, void *into, size_t room, uint64_t *value)
{
    return ask_sized_over(file, asked, data, into, room, value, NULL);
}

/* Over the process's own connection. It is looked at each time: the program may have shut all that it did not know of,
 * and opened something else under its number. A signal's handler that asks in the middle of a question asks for itself. */
int ask_sized(
    struct question *asked, const void *data, void *into, size_t room, uint64_t *value, size_t *size)
{
    int error = EIO;
    if (is_asking) {
        int own = connect_there();
        if (own >= 0) {
            error = ask_sized_over(own, asked, data, into, room, value, size);
            syscall(SYS_close, own);
        }
        return error < 0 ? EIO : error;
    }
    is_asking = 1;
    pthread_mutex_lock(&lock);
    if (channel >= 0 && (owner != getpid() || !is_there(channel)))
        channel = -1; /* it is the parent's, or something else by now */
    if (channel < 0) {
        channel = connect_there();
        owner = getpid();
    }
    if (channel >= 0) {
        error = ask_sized_over(channel, asked, data, into, room, value, size);
        if (error < 0) { /* the bench is gone */
            syscall(SYS_close, channel);
            channel = -1;
            error = EIO;
        }
    }
    pthread_mutex_unlock(&lock);
    is_asking = 0;
    return error;
}

int ask(struct question *asked, const void *data, void *into, size_t room, uint64_t *value)
{
    return ask_sized(asked, data, into, room, value, NULL);
}

int failed(int error)
{
    errno = error;
    return -1;
}

int set(uint64_t handle, uint64_t what, uint64_t value)
{
    struct question asked = {.kind = SET, .handle = handle, .first = what, .second = value};
    int error = ask(&asked, NULL, NULL, 0, NULL);
    return error ? failed(error) : 0;
}
