/* Memory: the program's, copied by the kernel so that a wrong pointer is an error and no crash; and our own, of which
 * nothing is kept between calls: threads may have small stacks, and what is kept for each thread is taken from those. */
#include "shim.h"
#include <sys/mman.h>
#include <sys/syscall.h>
#include <sys/uio.h>

#define PIECE 4096 /* what a pipe holds at least without waiting */

/* Where the kernel does not let a process copy so, as some sandboxes have it: through a pipe. */
static int copy_by_pipe(void *to, const void *from, size_t size)
{
    int ends[2], done = 0;
    if (syscall(SYS_pipe2, ends, 0) < 0)
        return -1;
    for (size_t at = 0; !done && at < size; at += PIECE) {
        size_t piece = size - at < PIECE ? size - at : PIECE;
        if (syscall(SYS_write, ends[1], (const char *)from + at, piece) != (long)piece
            || syscall(SYS_read, ends[0], (char *)to + at, piece) != (long)piece)
            done = -1;
    }
    syscall(SYS_close, ends[0]);
    syscall(SYS_close, ends[1]);
    return done;
}

static int copy(int number, void *mine, void *theirs, size_t size)
{
    struct iovec here = {mine, size}, there = {theirs, size};
    if (!size)
        return 0;
    if (syscall(number, getpid(), &here, 1, &there, 1, 0) == (long)size)
        return 0;
    if (errno != EPERM && errno != ENOSYS && errno != EACCES)
        return -1;
    return number == SYS_process_vm_readv ? copy_by_pipe(mine, theirs, size) : copy_by_pipe(theirs, mine, size);
}

int copy_in(void *to, const void *from, size_t size)
{
    return copy(SYS_process_vm_readv, to, (void *)from, size);
}

int copy_out(void *to, const void *from, size_t size)
{
    return copy(SYS_process_vm_writev, (void *)from, to, size);
}

void *take_room(size_t size)
{
    void *room = (void *)syscall(SYS_mmap, NULL, size, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
    return room == MAP_FAILED ? NULL : room;
}

void give_room(void *room, size_t size)
{
    if (room)
        syscall(SYS_munmap, room, size);
}
