package fleet

import (
	"bufio"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"

	"frizzel/internal/exit"
	"frizzel/internal/fleet/wire"
)

// A Program is this program, and those for other systems, to be brought to hosts.
type Program struct {
	dir string // of programs for other systems; "" for none

	mu    sync.Mutex
	known map[string]*binary // by system and machine
}

// A binary is an executable file, and the digest that guards its transfer.
type binary struct {
	content []byte
	digest  string
}

// NewProgram returns this program, with those of other systems in a directory, which may be "".
func NewProgram(dir string) (*Program, error) {
	if dir != "" {
		info, err := os.Stat(dir)
		if err != nil || !info.IsDir() {
			return nil, exit.Wrongf("--programs: there is no directory %q", dir)
		}
	}
	return &Program{dir: dir, known: map[string]*binary{}}, nil
}

// receiver runs in a shell on the host. It says what system it is on, and is told the program's digest and size. A
// program that it has already is used if it still has the digest; else it is read, checked, and kept in a directory of
// the user's own.
const receiver = `umask 077
echo
echo "frizzel-program $(uname -s) $(uname -m)"
read -r digest size || exit 1
if [ "$(id -u)" = 0 ]; then d=/var/lib/frizzel-program; else d=$HOME/.cache/frizzel-program; fi
mkdir -p "$d" && [ -O "$d" ] && [ ! -L "$d" ] || { echo "$d is not this user's own directory" >&2; exit 1; }
sum() { { sha256sum "$1" || shasum -a 256 "$1" || sha256 -q "$1"; } 2>/dev/null | cut -d" " -f1; }
p=$d/frizzel-$digest
if [ -f "$p" ] && [ "$(sum "$p")" = "$digest" ]; then
  echo have
else
  echo want
  t=$p.$$
  head -c "$size" >"$t" && [ "$(sum "$t")" = "$digest" ] && chmod 700 "$t" && mv -f "$t" "$p" || { rm -f "$t"; echo "the program did not arrive whole" >&2; exit 1; }
fi
exec "$p" fleet-host`

// words returns what is started on the host.
func (p *Program) words(start []string) []string {
	return append(slices.Clone(start), "sh", "-c", receiver)
}

// bring gives the host its program. out is then what follows. heard is called whenever something went through.
func (p *Program) bring(in io.Writer, out *io.Reader, heard func()) error {
	lines := bufio.NewReader(io.LimitReader(*out, wire.MaxTotal))
	*out = lines
	system, machine := "", ""
	for passed := 0; system == ""; {
		line, err := lines.ReadString('\n')
		if passed += len(line); passed > wire.MaxLogin {
			return wire.ErrTooMuch
		}
		if words := strings.Fields(line); len(words) == 3 && words[0] == "frizzel-program" {
			system, machine = words[1], words[2]
		} else if err != nil {
			return err
		}
	}
	heard()
	b, err := p.of(system, machine)
	if err != nil {
		return err
	}
	if _, err := fmt.Fprintf(in, "%s %d\n", b.digest, len(b.content)); err != nil {
		return err
	}
	answer, err := lines.ReadString('\n')
	if err != nil {
		return err
	}
	heard()
	if strings.TrimSpace(answer) != "want" {
		return nil
	}
	for part := range slices.Chunk(b.content, 64<<10) {
		if _, err := in.Write(part); err != nil {
			return err
		}
		heard()
	}
	return nil
}

// systems and machines are what uname calls them, and what Go does.
var (
	systems  = map[string]string{"Linux": "linux", "Darwin": "darwin", "FreeBSD": "freebsd"}
	machines = map[string]string{"x86_64": "amd64", "amd64": "amd64", "aarch64": "arm64", "arm64": "arm64", "i686": "386", "armv7l": "arm", "riscv64": "riscv64"}
)

// of returns the program for a host.
func (p *Program) of(system, machine string) (*binary, error) {
	name := systems[system] + "-" + machines[machine]
	if systems[system] == "" || machines[machine] == "" {
		return nil, fmt.Errorf("there is no program for %q on %q", system, machine)
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.known[name] != nil {
		return p.known[name], nil
	}
	path := filepath.Join(p.dir, "frizzel-"+name)
	if name == runtime.GOOS+"-"+runtime.GOARCH {
		self, err := os.Executable()
		if err != nil {
			return nil, err
		}
		path = self
	} else if p.dir == "" {
		return nil, fmt.Errorf("it needs the program for %s; --programs names a directory with frizzel-%s", name, name)
	}
	content, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, fmt.Errorf("it needs the program for %s, and there is no %s", name, path)
	}
	if err != nil {
		return nil, err
	}
	sum := sha256.Sum256(content)
	p.known[name] = &binary{content, hex.EncodeToString(sum[:])}
	return p.known[name], nil
}
