package transaction

import (
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"frizzel/internal/vault/store"
)

// What is said of very many files takes time that grows with them, and not faster.
func TestVeryManyNotPutBack(t *testing.T) {
	e := &NotPutBackError{Cause: errors.New("the disk is gone"), Left: make([]store.Left, 200_000), Away: make([]string, 200_000)}
	begun := time.Now()
	require.Equal(t, 400_000, strings.Count(e.Error(), "\n"))
	require.Less(t, time.Since(begun), 10*time.Second)
}
