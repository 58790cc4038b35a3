/* Lines: what is asked goes to the bench as it is, structures and all. Source: linux/gpio.h. */
#include "shim.h"
#include <fcntl.h>
#include <linux/ioctl.h>
#include <sys/socket.h>
#include <sys/syscall.h>

#define GPIO_TYPE 0xB4
#define MOST_STRUCTURE 1024
#define MOST_EVENTS (48 * 1024) /* more than ever wait */
#define AGAIN 200 /* µs */

/* The calls that give a descriptor: it is the last number of their structures. Handles, events, lines of version 2. */
static int gives_lines(unsigned long request)
{
    return _IOC_NR(request) == 0x03 || _IOC_NR(request) == 0x04 || _IOC_NR(request) == 0x07;
}

int gpio_control(uint64_t handle, unsigned long request, void *argument)
{
    unsigned char data[MOST_STRUCTURE];
    size_t size = _IOC_SIZE(request);
    struct question asked = {.kind = CONTROL, .handle = handle, .first = request & 0xFFFFFFFF};
    size_t came = 0;
    int error;

    if (_IOC_TYPE(request) != GPIO_TYPE || size > sizeof data)
        return failed(EINVAL);
    if (_IOC_DIR(request) & _IOC_WRITE) {
        if (copy_in(data, argument, size) < 0)
            return failed(EFAULT);
        asked.size = size;
    }
    if (KIND_OF(handle) == CHIP_KIND && gives_lines(request) && asked.size) {
        int file;
        asked.kind = REQUEST;
        file = open_over(&asked, data);
        if (file < 0)
            return -1;
        memcpy(data + size - sizeof file, &file, sizeof file);
        if (copy_out(argument, data, size) < 0) {
            syscall(SYS_close, file);
            return failed(EFAULT);
        }
        return 0;
    }
    error = ask_sized(&asked, data, data, sizeof data, NULL, &came);
    if (error)
        return failed(error);
    return copy_out(argument, data, came) < 0 ? failed(EFAULT) : 0;
}

static ssize_t wait_and_read(int file, uint64_t handle, void *buffer, size_t size, unsigned char *room)
{
    for (int empty = 0;; empty++) {
        struct question asked = {.kind = EVENTS, .handle = handle, .first = size};
        uint64_t was_all = 0;
        size_t came = 0;
        char token;
        ssize_t done;
        int error = ask_sized(&asked, NULL, room, size, &was_all, &came);
        if (error)
            return failed(error);
        if (was_all)
            recv(file, &token, 1, 0);
        if (came)
            return copy_out(buffer, room, came) < 0 ? failed(EFAULT) : (ssize_t)came;
        if (empty) { /* another reader has what there was, and takes its byte away just now */
            if (syscall(SYS_fcntl, file, F_GETFL) & O_NONBLOCK)
                return failed(EAGAIN);
            usleep(AGAIN);
        }
        done = recv(file, &token, 1, MSG_PEEK);
        if (done < 0)
            return -1;
        if (!done)
            return failed(EIO);
    }
}

/* What waits to be read; where there is nothing, the byte is waited for that the bench puts into the connection. */
ssize_t gpio_read(int file, uint64_t handle, void *buffer, size_t size)
{
    unsigned char few[512], *room;
    ssize_t done;

    if (size <= sizeof few)
        return wait_and_read(file, handle, buffer, size, few);
    size = size > MOST_EVENTS ? MOST_EVENTS : size;
    room = take_room(size);
    done = room ? wait_and_read(file, handle, buffer, size, room) : failed(ENOMEM);
    give_room(room, size);
    return done;
}
