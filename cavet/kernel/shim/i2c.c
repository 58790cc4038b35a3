/* I2C devices. Source: linux/i2c.h and linux/i2c-dev.h. */
#include "shim.h"
#include <linux/i2c-dev.h>
#include <linux/i2c.h>

#define MOST_MESSAGES 42 /* Source: I2C_RDWR_IOCTL_MAX_MSGS */

/* `room` is for what goes to the bench, and behind `size` bytes for what comes back. */
static int do_transfer(uint64_t handle, const struct i2c_msg *messages, uint32_t count, unsigned char *room, size_t size)
{
    struct question asked = {.kind = TRANSFER, .handle = handle, .first = count};
    unsigned char *at = room;
    int error;

    for (uint32_t n = 0; n < count; n++) {
        struct part part = {messages[n].addr, messages[n].flags, messages[n].len, 0};
        memcpy(at, &part, sizeof part);
        at += sizeof part;
    }
    for (uint32_t n = 0; n < count; n++) {
        size_t length = messages[n].len;
        if (messages[n].flags & I2C_M_RD && !(messages[n].flags & I2C_M_RECV_LEN))
            continue;
        if (messages[n].flags & I2C_M_RECV_LEN)
            length = length ? 1 : 0; /* how many bytes are read besides the block */
        if (copy_in(at, messages[n].buf, length) < 0)
            return failed(EFAULT);
        at += length;
    }
    asked.size = at - room;
    at = room + size;
    error = ask(&asked, room, at, size, NULL);
    if (error)
        return failed(error);
    for (uint32_t n = 0; n < count; n++) {
        uint16_t came;
        if (!(messages[n].flags & I2C_M_RD))
            continue;
        memcpy(&came, at, sizeof came);
        at += sizeof came;
        if (copy_out(messages[n].buf, at, came) < 0)
            return failed(EFAULT);
        at += came;
    }
    return count;
}

static int transfer(uint64_t handle, void *argument)
{
    struct i2c_rdwr_ioctl_data all;
    struct i2c_msg messages[MOST_MESSAGES];
    unsigned char *room;
    size_t size = 0;
    int done;

    if (copy_in(&all, argument, sizeof all) < 0)
        return failed(EFAULT);
    if (!all.msgs || !all.nmsgs || all.nmsgs > MOST_MESSAGES)
        return failed(EINVAL);
    if (copy_in(messages, all.msgs, all.nmsgs * sizeof *messages) < 0)
        return failed(EFAULT);
    for (uint32_t n = 0; n < all.nmsgs; n++) {
        int counted = messages[n].flags & I2C_M_RECV_LEN;
        if (messages[n].len > MOST_BYTES || (counted && !(messages[n].flags & I2C_M_RD)))
            return failed(EINVAL);
        size += sizeof(struct part) + messages[n].len;
    }
    room = take_room(2 * size);
    done = room ? do_transfer(handle, messages, all.nmsgs, room, size) : failed(ENOMEM);
    give_room(room, 2 * size);
    return done;
}

static int smbus(uint64_t handle, void *argument)
{
    struct i2c_smbus_ioctl_data call;
    union i2c_smbus_data data, came;
    struct question asked = {.kind = SMBUS, .handle = handle};
    size_t room = 0; /* what is put back: the kernel copies all of it, whatever came */
    int error;

    if (copy_in(&call, argument, sizeof call) < 0)
        return failed(EFAULT);
    if (call.size > I2C_SMBUS_I2C_BLOCK_DATA || call.read_write > I2C_SMBUS_READ)
        return failed(EINVAL);
    memset(&data, 0, sizeof data);
    if (call.size != I2C_SMBUS_QUICK && !(call.size == I2C_SMBUS_BYTE && call.read_write == I2C_SMBUS_WRITE)) {
        int answers = call.size == I2C_SMBUS_PROC_CALL || call.size == I2C_SMBUS_BLOCK_PROC_CALL;
        if (!call.data)
            return failed(EINVAL);
        room = call.size <= I2C_SMBUS_BYTE_DATA ? 1 : call.size <= I2C_SMBUS_PROC_CALL ? 2 : sizeof data.block;
        if (answers || call.size == I2C_SMBUS_I2C_BLOCK_DATA || call.read_write == I2C_SMBUS_WRITE)
            if (copy_in(&data, call.data, room) < 0)
                return failed(EFAULT);
        if (!answers && call.read_write == I2C_SMBUS_WRITE)
            room = 0;
    }
    asked.size = sizeof data;
    asked.first = (uint64_t)call.read_write << 8 | call.command;
    asked.second = call.size;
    came = data;
    error = ask(&asked, &data, &came, sizeof came, NULL);
    if (error)
        return failed(error);
    return copy_out(call.data, &came, room) < 0 ? failed(EFAULT) : 0;
}

int i2c_control(uint64_t handle, unsigned long request, void *argument)
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
