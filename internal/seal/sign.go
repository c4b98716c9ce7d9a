package seal

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/hiddeco/sshsig"
	"golang.org/x/crypto/ssh"
	"golang.org/x/crypto/ssh/agent"

	"frizzel/internal/disk"
	"frizzel/internal/exit"
)

// namespace keeps a signature that was made for something else from counting for a seal (PROTOCOL.sshsig of OpenSSH).
const namespace = "frizzel-seal"

// armor begins a signature at the end of a seal's file. What is before it is signed, and is a seal by itself.
const armor = "-----BEGIN SSH SIGNATURE-----\n"

// maxSignature limits the size of a signature, and maxKey that of a file of keys, in bytes.
const (
	maxSignature = 64 << 10
	maxKey       = 1 << 20
)

// A Signer signs seals with an OpenSSH key.
type Signer struct{ ssh.Signer }

// ReadSigner reads a private key. passphrase asks for that of an encrypted one. If the file has a public key, the agent of
// $SSH_AUTH_SOCK signs with it. The errors are of the command line.
func ReadSigner(path string, passphrase func() ([]byte, error)) (*Signer, error) {
	text, err := disk.ReadBounded(path, maxKey)
	if err != nil {
		return nil, exit.Wrongf("--sign: %v", err)
	}
	if public, _, _, _, err := ssh.ParseAuthorizedKey(text); err == nil {
		return agentSigner(public)
	}
	s, err := ssh.ParsePrivateKey(text)
	var locked *ssh.PassphraseMissingError
	if errors.As(err, &locked) {
		var secret []byte
		if secret, err = passphrase(); err != nil {
			return nil, err
		}
		s, err = ssh.ParsePrivateKeyWithPassphrase(text, secret)
	}
	if err != nil {
		return nil, exit.Wrongf("--sign: %s is not a key of OpenSSH, or its passphrase is another one: %v", path, err)
	}
	return &Signer{s}, nil
}

func agentSigner(public ssh.PublicKey) (*Signer, error) {
	conn, err := net.Dial("unix", os.Getenv("SSH_AUTH_SOCK"))
	if err != nil {
		return nil, exit.Wrongf("--sign names a public key, and there is no agent that has its private one: %v", err)
	}
	all, err := agent.NewClient(conn).Signers()
	for _, s := range all {
		if bytes.Equal(s.PublicKey().Marshal(), public.Marshal()) {
			return &Signer{s}, nil
		}
	}
	return nil, errors.Join(exit.Wrongf("--sign names a public key, and the agent does not have its private one"), err)
}

// sign returns the signature of a seal's file, armored.
func (s *Signer) sign(seal io.Reader) ([]byte, error) {
	signature, err := sshsig.Sign(seal, s.Signer, sshsig.HashSHA512, namespace)
	if err != nil {
		return nil, fmt.Errorf("the seal cannot be signed: %w", err)
	}
	return sshsig.Armor(signature), nil
}

// Write writes a seal and its signature; signer may be nil.
func Write(out io.Writer, from io.WriterTo, signer *Signer) (int64, error) {
	if signer == nil {
		return from.WriteTo(out)
	}
	in, copied := io.Pipe()
	var signing error
	signature := exit.Async(func() []byte {
		text, err := signer.sign(in)
		signing = err
		in.CloseWithError(err) // nobody reads on
		return text
	})
	n, err := from.WriteTo(io.MultiWriter(out, copied))
	copied.CloseWithError(err)
	text := signature()
	if err = errors.Join(err, signing); err != nil {
		return n, err
	}
	m, err := out.Write(text)
	return n + int64(m), err
}

// signed looks for a signature at the end of the seal's file of size bytes, and returns the size without it. A signature
// that does not fit the seal is an error.
func (s *Seal) signed(size int64) (int64, error) {
	last := make([]byte, min(size, maxSignature))
	if _, err := s.file.ReadAt(last, size-int64(len(last))); err != nil && !errors.Is(err, io.EOF) {
		return 0, err
	}
	i := bytes.LastIndex(last, []byte("\n"+armor))
	if i < 0 {
		return size, nil
	}
	i++
	signature, err := sshsig.Unarmor(last[i:])
	if err != nil {
		return 0, err
	}
	size -= int64(len(last) - i)
	s.key = signature.PublicKey
	return size, sshsig.Verify(io.NewSectionReader(s.file, 0, size), signature, s.key, signature.HashAlgorithm, namespace)
}

// Key returns the fingerprint of the key that signed the seal, or "" if it is unsigned.
func (s *Seal) Key() string {
	if s.key == nil {
		return ""
	}
	return ssh.FingerprintSHA256(s.key)
}

// SignedBy returns the principals that a file of allowed signers (ssh-keygen, ALLOWED SIGNERS) has for the key that signed
// the seal. The error is a refusal.
func (s *Seal) SignedBy(signers string, now time.Time) (principals string, err error) {
	text, err := disk.ReadBounded(signers, maxKey)
	if err != nil {
		return "", exit.Wrongf("--signers: %v", err)
	}
	if s.key == nil {
		return "", exit.Refusedf("the seal is not signed, and --signers asks for a signature; nothing was written")
	}
	for n, l := range strings.Split(string(text), "\n") {
		l = strings.TrimSpace(l)
		if l == "" || l[0] == '#' {
			continue
		}
		who, rest, _ := strings.Cut(l, " ")
		key, _, options, _, err := ssh.ParseAuthorizedKey([]byte(rest))
		if err != nil {
			return "", exit.Wrongf("%s:%d: this is not a line of allowed signers: %v", signers, n+1, err)
		}
		ok, err := allows(options, now)
		if err != nil {
			return "", exit.Wrongf("%s:%d: %v", signers, n+1, err)
		}
		if ok && bytes.Equal(key.Marshal(), s.key.Marshal()) {
			return strings.Trim(who, `"`), nil
		}
	}
	return "", exit.Refusedf("the seal is signed with the key %s, which %s does not allow; nothing was written", s.Key(), signers)
}

// allows reports whether the options of a line of allowed signers let its key sign seals now.
func allows(options []string, now time.Time) (bool, error) {
	for _, o := range options {
		name, value, _ := strings.Cut(o, "=")
		value = strings.Trim(value, `"`)
		switch strings.ToLower(name) {
		case "cert-authority": // certificates are not supported
			return false, nil
		case "namespaces":
			if !slices.ContainsFunc(strings.Split(value, ","), func(p string) bool { ok, _ := path.Match(p, namespace); return ok }) {
				return false, nil
			}
		case "valid-after", "valid-before":
			at, err := timeOf(value)
			if err != nil {
				return false, err
			}
			if name == "valid-after" && now.Before(at) || name == "valid-before" && !now.Before(at) {
				return false, nil
			}
		}
	}
	return true, nil
}

// timeOf reads a time such as 20261129, 202611291504 or 20261129150405Z.
func timeOf(text string) (time.Time, error) {
	zone := time.Local
	digits, utc := strings.CutSuffix(text, "Z")
	if utc {
		zone = time.UTC
	}
	for _, layout := range []string{"20060102", "200601021504", "20060102150405"} {
		if at, err := time.ParseInLocation(layout, digits, zone); err == nil {
			return at, nil
		}
	}
	return time.Time{}, fmt.Errorf("%q is not a time such as 20261129 or 20261129150405Z", text)
}
