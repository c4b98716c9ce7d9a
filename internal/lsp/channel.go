package lsp

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
)

// maxMessage is the maximum size of a message in bytes, and maxHeader that of a line of its header.
const (
	maxMessage = 256 << 20
	maxHeader  = 4 << 10
)

// A channel frames messages as the Language Server Protocol does: a header with the length, an empty line, the content.
// What is no header is passed over, so that a client that prints something else by mistake is understood again.
type channel struct {
	in  *bufio.Reader
	out io.Writer
}

func newChannel(in io.Reader, out io.Writer) *channel {
	return &channel{bufio.NewReaderSize(in, maxHeader), out}
}

// Send writes a message.
func (c *channel) Send(message []byte) error {
	_, err := fmt.Fprintf(c.out, "Content-Length: %d\r\n\r\n%s", len(message), message)
	return err
}

// Recv reads the next message.
func (c *channel) Recv() ([]byte, error) {
	size := -1
	for {
		line, err := c.in.ReadSlice('\n')
		if errors.Is(err, bufio.ErrBufferFull) { // no header has such a line
			continue
		}
		if err != nil {
			return nil, err
		}
		text := strings.TrimRight(string(line), "\r\n")
		name, value, _ := strings.Cut(text, ":")
		switch {
		case text == "" && size >= 0:
			message := make([]byte, size)
			_, err := io.ReadFull(c.in, message)
			return message, err
		case strings.EqualFold(strings.TrimSpace(name), "Content-Length"):
			size = -1
			if n, err := strconv.Atoi(strings.TrimSpace(value)); err == nil && 0 <= n && n <= maxMessage {
				size = n
			}
		}
	}
}

// Close does nothing: the streams are the process's own.
func (c *channel) Close() error { return nil }
