/* I2C devices. Source: linux/i2c.h and linux/i2c-dev.h. */
#include "shim.h"
#include <linux/i2c-dev.h>
#include <linux/i2c.h>

#define MOST_MESSAGES 42 /* Source: I2C_RDWR_IOCTL_MAX_MSGS */

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

/* Plain reading and writing: a transfer with the address that was set. */
ssize_t plain(uint64_t handle, void *buffer, size_t size, int reads)
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
