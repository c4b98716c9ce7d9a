package fleet

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os/exec"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/kballard/go-shellquote"

	"frizzel/internal/exit"
	"frizzel/internal/fleet/wire"
	"frizzel/internal/hook"
)

// hostHole is replaced by the name of a host.
const hostHole = "{=host}"

// A Way is how hosts are reached.
type Way struct {
	Through   []string      // a command that gives the streams of a program on a host; nil is ssh
	StartWith []string      // what the program there is started with
	Wait      time.Duration // how long a host may be silent
	Program   string        // version of frizzel, which must be the same on the other side
	Sent      *Program      // is brought to the host; nil if it is installed there
}

// ParseThrough splits the command of --through.
func ParseThrough(command string) ([]string, error) {
	words, err := shellquote.Split(command)
	if err != nil {
		return nil, exit.Wrongf("--through: %v: %s", err, command)
	}
	if !slices.ContainsFunc(words, func(w string) bool { return strings.Contains(w, hostHole) }) {
		return nil, exit.Wrongf("--through names the host with %s, as in: --through 'remote-shell %s'", hostHole, hostHole)
	}
	return words, nil
}

// sshWords start a program on a host over OpenSSH: without questions, a terminal or anything forwarded, and without
// the commands of its configuration.
var sshWords = []string{
	"ssh", "-T", "-a", "-x", "-o", "BatchMode=yes", "-o", "ClearAllForwardings=yes", "-o", "PermitLocalCommand=no",
	"-o", "RemoteCommand=none", "-o", "SessionType=default", "-o", "ForkAfterAuthentication=no", "-o", "StdinNull=no", "-o", "Tunnel=no",
}

// words returns the command line that starts the other side. anew means over a new connection.
func (w *Way) words(host string, anew bool) []string {
	far := append(slices.Clone(w.StartWith), "frizzel", "fleet-host")
	if w.Sent != nil {
		far = w.Sent.words(w.StartWith)
	}
	if w.Through != nil {
		var words []string
		for _, word := range w.Through {
			words = append(words, strings.ReplaceAll(word, hostHole, host))
		}
		return append(words, far...)
	}
	words := slices.Clone(sshWords)
	if anew {
		words = append(words, "-o", "ControlPath=none")
	}
	words = append(words, "-o", fmt.Sprintf("ConnectTimeout=%d", max(int(w.Wait.Seconds()), 1)), "--", host)
	for _, word := range far { // which a shell reads there
		words = append(words, hook.Quote(word))
	}
	return words
}

// A Fault is why a host gives no answer.
type Fault struct {
	Host   string
	Reason string
	Sent   bool // the request had been sent, so that it may have been carried out
	Lies   bool // its answers do not fit
}

// ExitStatus returns Unreadable.
func (*Fault) ExitStatus() exit.Status { return exit.Unreadable }

func (f *Fault) Error() string { return f.Host + ": " + f.Reason }

// An Answer is what a host says last, and what it is.
type Answer struct {
	wire.End
	Machine, Boot string
}

// Call starts the other side on a host, sends it a request and calls each with its messages. The error is a *Fault if
// the host cannot be reached or gives no answer that fits.
func (w *Way) Call(ctx context.Context, host string, request *wire.Request, each func(*wire.Message) error) (*Answer, error) {
	c := &call{way: w, fault: &Fault{Host: host}}
	answer, err := c.run(ctx, host, request, each)
	if err == nil {
		return answer, nil
	}
	if ctx.Err() != nil {
		return nil, errors.Join(ctx.Err(), err)
	}
	c.fault.Reason = c.reason(err)
	return nil, c.fault
}

// A call is one connection.
type call struct {
	way     *Way
	fault   *Fault
	command *exec.Cmd
	stderr  wire.Tail
	silence *time.Timer
	mu      sync.Mutex
	silent  bool // it was ended since it said nothing
}

// errStrange is the error of an answer that does not fit.
var errStrange = errors.New("its answers do not fit")

func (c *call) run(ctx context.Context, host string, request *wire.Request, each func(*wire.Message) error) (*Answer, error) {
	words := c.way.words(host, request.Op == wire.Renew)
	c.command = exec.Command(words[0], words[1:]...)
	c.command.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	c.command.Stderr = &c.stderr
	c.command.WaitDelay = time.Second
	in, err := c.command.StdinPipe()
	if err != nil {
		return nil, err
	}
	out, err := c.command.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := c.command.Start(); err != nil {
		return nil, err
	}
	stop := context.AfterFunc(ctx, c.kill)
	c.silence = time.AfterFunc(c.way.Wait, func() {
		c.mu.Lock()
		c.silent = true
		c.mu.Unlock()
		c.kill()
	})
	defer func() {
		stop()
		c.silence.Stop()
		_ = in.Close()
		c.kill()
		_ = c.command.Wait()
	}()
	return c.talk(in, out, request, each)
}

// kill ends the whole group of processes.
func (c *call) kill() { _ = syscall.Kill(-c.command.Process.Pid, syscall.SIGKILL) }

func (c *call) talk(in io.WriteCloser, out io.Reader, request *wire.Request, each func(*wire.Message) error) (*Answer, error) {
	if c.way.Sent != nil {
		if err := c.way.Sent.bring(in, &out, c.heard); err != nil {
			return nil, err
		}
	}
	lines := wire.NewReader(out)
	greeting, err := lines.Greeting()
	if err != nil {
		return nil, err
	}
	c.heard()
	if greeting.Fleet != wire.Version || greeting.Program != c.way.Program {
		return nil, fmt.Errorf("it runs frizzel %q, and this is %q", greeting.Program, c.way.Program)
	}
	c.fault.Sent = true
	if err := wire.Send(in, request); err != nil {
		return nil, err
	}
	for {
		var m wire.Message
		if err := lines.Read(&m); err != nil {
			c.fault.Lies = !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF)
			return nil, err
		}
		c.heard()
		if m.End != nil {
			if m.End.Store == "" {
				m.End.Store = greeting.Store
			}
			return &Answer{*m.End, greeting.Machine, greeting.Boot}, nil
		}
		if err := each(&m); err != nil {
			c.fault.Lies = true
			return nil, err
		}
	}
}

// heard has the time that the host may be silent begin anew.
func (c *call) heard() { c.silence.Reset(c.way.Wait) }

// reason words why a host gives no answer.
func (c *call) reason(err error) string {
	c.mu.Lock()
	silent := c.silent
	c.mu.Unlock()
	said := strings.TrimSpace(c.stderr.String())
	if said != "" {
		said = ": " + lastLine(said)
	}
	switch {
	case silent:
		return fmt.Sprintf("it said nothing for %s%s", c.way.Wait, said)
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, syscall.EPIPE):
		if c.fault.Sent {
			return "the connection ended before its answer" + said
		}
		return "it cannot be reached, or has no frizzel" + said
	}
	return err.Error()
}

func lastLine(text string) string {
	lines := strings.Split(text, "\n")
	return strings.TrimSpace(lines[len(lines)-1])
}
