package main

import (
	"bytes"
	"crypto/ed25519"
	"crypto/rand"
	"encoding/pem"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"
)

// key makes an OpenSSH key in a file, and returns its public key as a line.
func key(t *testing.T, path string) string {
	public, private, err := ed25519.GenerateKey(rand.Reader)
	require.NoError(t, err)
	block, err := ssh.MarshalPrivateKey(private, "")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(path, pem.EncodeToMemory(block), 0o600))
	p, err := ssh.NewPublicKey(public)
	require.NoError(t, err)
	return strings.TrimSpace(string(ssh.MarshalAuthorizedKey(p)))
}

// A signed review counts only if one of the allowed signers signed just that; without a signature the screen says so. The
// other program that knows the format agrees.
func TestSignedReviews(t *testing.T) {
	dir := yard(t, 3)
	top := filepath.Dir(dir)
	mine, other := key(t, filepath.Join(top, "mine")), key(t, filepath.Join(top, "other"))
	list := func(name, text string) string {
		path := filepath.Join(top, name)
		require.NoError(t, os.WriteFile(path, []byte("# who may review\n"+text+"\n"), 0o644))
		return path
	}
	me := "oak@fernhollow.example"
	allowed := list("allowed", "ash@fernhollow.example "+other+"\n"+me+` namespaces="git,frizzel-*",valid-after="20200101" `+mine)
	seal := filepath.Join(top, "review.seal")
	_, stderr, status := frizzel(t, dir, "preview", "--word", "depot-3", "--with", "depot-4", "--seal", seal, "--sign", filepath.Join(top, "mine"), ".")
	require.Zero(t, status, stderr)
	text, err := os.ReadFile(seal)
	require.NoError(t, err)
	at := bytes.Index(text, []byte("-----BEGIN SSH SIGNATURE"))
	require.Positive(t, at)

	_, stderr, status = frizzel(t, dir, "preview", "--sealed", seal, "--signers", allowed)
	require.Zero(t, status, stderr)
	require.Contains(t, stderr, "signed by "+me)
	_, stderr, _ = frizzel(t, dir, "preview", "--sealed", seal)
	require.Contains(t, stderr, "--signers FILE says whose key that is")
	for what, signers := range map[string]string{
		"another key":     list("others", "ash "+other),
		"other purpose":   list("purpose", me+` namespaces="git" `+mine),
		"not valid yet":   list("later", me+` valid-after="29991231" `+mine),
		"no longer valid": list("earlier", me+` valid-before="20200101000000Z" `+mine),
		"nobody":          list("nobody", ""),
	} {
		_, stderr, status = frizzel(t, dir, "apply", "--yes", "--sealed", seal, "--signers", signers)
		require.Equal(t, 3, status, what)
		require.Contains(t, stderr, "does not allow; nothing was written", what)
	}
	_, _, status = frizzel(t, dir, "apply", "--yes", "--sealed", seal, "--signers", list("broken", "not a line"))
	require.Equal(t, 2, status)

	// Without its signature, or with another one, and with any byte of it changed.
	write := func(content []byte) { require.NoError(t, os.WriteFile(seal, content, 0o600)) }
	write(text[:at])
	_, stderr, status = frizzel(t, dir, "preview", "--sealed", seal)
	require.Zero(t, status, stderr)
	require.Contains(t, stderr, "unsigned: who made it, and when, is only what it says itself")
	_, stderr, status = frizzel(t, dir, "apply", "--yes", "--sealed", seal, "--signers", allowed)
	require.Equal(t, 3, status, stderr)
	for i := 5; i < len(text); i += max(len(text)/60, 1) {
		flipped := bytes.Clone(text)
		flipped[i] ^= 1
		write(flipped)
		_, _, status = frizzel(t, dir, "apply", "--yes", "--sealed", seal, "--signers", allowed)
		require.Contains(t, []int{2, 3}, status, "byte %d", i)
	}
	require.Equal(t, map[string]int{"depot-3": 4}, hosts(t, dir))

	if keygen, err := exec.LookPath("ssh-keygen"); err == nil {
		sig := filepath.Join(top, "sig")
		require.NoError(t, os.WriteFile(sig, text[at:], 0o600))
		c := exec.Command(keygen, "-Y", "verify", "-f", allowed, "-I", me, "-n", "frizzel-seal", "-s", sig)
		c.Stdin = bytes.NewReader(text[:at])
		out, err := c.CombinedOutput()
		require.NoError(t, err, string(out))
	}
	write(text)
	_, stderr, status = frizzel(t, dir, "apply", "--yes", "--sealed", seal, "--signers", allowed)
	require.Zero(t, status, stderr)
	require.Contains(t, stderr, "signed by "+me)
	require.Equal(t, map[string]int{"depot-4": 4}, hosts(t, dir))
}
