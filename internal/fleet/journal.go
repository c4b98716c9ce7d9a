package fleet

import (
	"bufio"
	"bytes"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/fleet/wire"
	"frizzel/internal/rules"
	"frizzel/internal/vault/store"
)

// A State is where a host is, as far as the control side knows.
type State string

const (
	Waiting   State = "waiting"     // for its wave; its review was accepted
	Unreached State = "not reached" // at the preview
	Told      State = "no answer"   // it was told to write
	Refused   State = "refused"
	Failed    State = "put back" // a proof or a step failed there
	Held      State = "on hold"
	Done      State = "done"
	Expired   State = "hold expired" // and was put back
	Undone    State = "undone"
	Left      State = "left in part"
	Strange   State = "strange answers"
	Another   State = "another history"
	Forgotten State = "not written" // its review was given up
)

// Written reports whether the run's changes are on a host in this state.
func (s State) Written() bool { return s == Held || s == Done }

// Status returns the exit status that a host in this state asks for.
func (s State) Status() exit.Status {
	switch s {
	case Unreached, Told, Strange:
		return exit.Unreadable
	case Refused, Failed, Expired, Another:
		return exit.Refused
	case Left:
		return exit.InPart
	}
	return exit.Done
}

// A Plan is a run over many hosts before anything is written.
type Plan struct {
	Format    int           `json:"frizzel_fleet_run"`
	Key       string        `json:"key"` // identifies the run on the hosts
	Time      time.Time     `json:"time"`
	User      string        `json:"user"`
	Rules     *rules.Bundle `json:"rules"`
	Labels    []string      `json:"labels"`
	Differs   []string      `json:"differs,omitempty"`
	Files     *wire.Files   `json:"files"`
	Context   int           `json:"context"`
	Write     wire.Write    `json:"write"`
	Through   []string      `json:"through,omitempty"`
	StartWith []string      `json:"start_with,omitempty"`
	Send      bool          `json:"send,omitempty"`
	Programs  string        `json:"programs,omitempty"`
	Wait      time.Duration `json:"wait"`
	AtOnce    int           `json:"at_once"`
	First     int           `json:"first_wave"`
	Wave      int           `json:"wave"`
	AllOrNone bool          `json:"all_or_none,omitempty"`
	Shown     []string      `json:"shown"` // sums of the changes that were accepted
	Hosts     []*Planned    `json:"hosts"`
}

// A Planned is a host of a Plan.
type Planned struct {
	Host
	Digest  string        `json:"digest,omitempty"` // of its review; "" if it was not reached
	Store   string        `json:"store,omitempty"`  // identity of its history
	Answers []wire.Answer `json:"answers,omitempty"`
	Fault   string        `json:"fault,omitempty"` // why it was not reached

	State State     `json:"-"`
	Run   string    `json:"-"` // number of the run there
	Until time.Time `json:"-"` // of a hold
	Files int       `json:"-"`
	Why   string    `json:"-"`
}

// An entry is a line of a journal.
type entry struct {
	Time  time.Time `json:"time"`
	Host  int       `json:"host"`
	State State     `json:"state"`
	Run   string    `json:"run,omitempty"`
	Until time.Time `json:"until,omitzero"`
	Files int       `json:"files,omitempty"`
	Why   string    `json:"why,omitempty"`

	Digest string `json:"digest,omitempty"` // of a host that was not reached at first
	Store  string `json:"store,omitempty"`
}

// A Run is a run over many hosts, with its journal.
type Run struct {
	Plan
	Number int

	mu      sync.Mutex
	path    string
	journal *os.File // nil if the run is only read
	lock    disk.Dir
}

// Name returns the run's number as a user types it.
func (r *Run) Name() string { return fmt.Sprintf("f%d", r.Number) }

// planFormat is the version of plans.
const planFormat = 1

// Names in the directory of runs.
const (
	runsName    = "runs"
	planName    = "plan"
	journalName = "journal"
)

func runsPath(s *store.Store) string { return filepath.Join(s.Path(), store.FleetName, runsName) }

// NewKey returns a key that no other run has.
func NewKey() string { return strings.ToLower(rand.Text()) }

// Begin stores a plan as a new run, and opens its journal.
func Begin(s *store.Store, p Plan) (*Run, error) {
	runs := runsPath(s)
	if err := os.MkdirAll(runs, 0o700); err != nil {
		return nil, err
	}
	numbers, err := numbers(s)
	if err != nil {
		return nil, err
	}
	r := &Run{Plan: p}
	r.Format, r.Time = planFormat, time.Now()
	if len(numbers) > 0 {
		r.Number = numbers[len(numbers)-1]
	}
	for {
		r.Number++
		r.path = filepath.Join(runs, r.Name())
		err := os.Mkdir(r.path, 0o700)
		if err == nil {
			break
		}
		if !errors.Is(err, fs.ErrExist) {
			return nil, err
		}
	}
	text, err := json.Marshal(r.Plan)
	if err != nil {
		return nil, err
	}
	dir, err := disk.Real{}.OpenDir(r.path)
	if err != nil {
		return nil, err
	}
	defer disk.Close(dir)
	if err := disk.WriteFile(dir, planName, text, disk.Synced); err != nil {
		return nil, err
	}
	above, err := disk.Real{}.OpenDir(runs)
	if err != nil {
		return nil, err
	}
	defer disk.Close(above)
	if err := above.Sync(); err != nil {
		return nil, err
	}
	r.begin()
	return r, r.open()
}

// begin sets the states of the hosts before anything is asked of them.
func (r *Run) begin() {
	for _, h := range r.Hosts {
		h.State = Waiting
		if h.Digest == "" {
			h.State, h.Why = Unreached, h.Fault
		}
	}
}

// open opens the journal, and keeps others out.
func (r *Run) open() error {
	var err error
	if r.lock, err = (disk.Real{}).OpenDir(r.path); err != nil {
		return err
	}
	if got, err := r.lock.TryLock(); err != nil || !got {
		disk.Close(r.lock)
		return exit.Refusedf("another frizzel is at work on run %s just now", r.Name())
	}
	r.journal, err = os.OpenFile(filepath.Join(r.path, journalName), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = r.journal.WriteString("\n") // which ends a line that was cut off
	return errors.Join(err, r.journal.Sync(), r.lock.Sync())
}

// Close lets others work on the run.
func (r *Run) Close() {
	if r.journal != nil {
		_ = r.journal.Close()
		disk.Close(r.lock)
	}
}

// enter notes the state of a host, on disk when it returns.
func (r *Run) enter(h *Planned, state State, why string) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	h.State, h.Why = state, why
	line, err := json.Marshal(entry{time.Now(), slices.Index(r.Hosts, h), state, h.Run, h.Until, h.Files, why, h.Digest, h.Store})
	if err != nil {
		return err
	}
	if _, err := r.journal.Write(append(line, '\n')); err != nil {
		return fmt.Errorf("the journal of run %s cannot be written: %w", r.Name(), err)
	}
	return r.journal.Sync()
}

// numbers returns the numbers of all runs, ascending.
func numbers(s *store.Store) (all []int, err error) {
	names, err := os.ReadDir(runsPath(s))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, err
	}
	for _, n := range names {
		number, err := strconv.Atoi(strings.TrimPrefix(n.Name(), "f"))
		if err == nil && number > 0 && strings.HasPrefix(n.Name(), "f") {
			all = append(all, number)
		}
	}
	slices.Sort(all)
	return all, nil
}

// Runs reads all runs, the oldest first. Those that cannot be read are left out, and named.
func Runs(s *store.Store) (runs []*Run, damaged []string, err error) {
	numbers, err := numbers(s)
	for _, n := range numbers {
		r, readErr := read(s, n)
		if readErr != nil {
			damaged = append(damaged, readErr.Error())
			continue
		}
		runs = append(runs, r)
	}
	return runs, damaged, err
}

// Tidy deletes the journals of runs that are older than an age and at their end. The hosts' own histories stay.
func Tidy(s *store.Store, age time.Duration) {
	runs, _, _ := Runs(s)
	for _, r := range runs {
		counts := r.Counts()
		if open := counts[Waiting] + counts[Unreached] + counts[Told] + counts[Held]; open == 0 && time.Since(r.Time) > age {
			_ = os.RemoveAll(r.path)
		}
	}
}

// Open reads the run that a person names, f17 or 17, to work on it. The caller closes it.
func Open(s *store.Store, name string) (*Run, error) {
	r, err := Find(s, name)
	if err != nil {
		return nil, err
	}
	if err := r.open(); err != nil {
		return nil, err
	}
	fresh, err := read(s, r.Number) // what another one wrote before it went
	if err != nil {
		return nil, err
	}
	r.Hosts = fresh.Hosts
	return r, nil
}

// Find reads the run that a person names.
func Find(s *store.Store, name string) (*Run, error) {
	number, err := strconv.Atoi(strings.TrimPrefix(name, "f"))
	if err != nil || number < 1 {
		return nil, exit.Wrongf("there is no run %q over many hosts; their numbers begin with f", name)
	}
	r, err := read(s, number)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, exit.Wrongf("there is no run f%d over many hosts; frizzel fleet history lists them", number)
	}
	return r, err
}

// read reads a plan and its journal. A last line that was cut off is passed over.
func read(s *store.Store, number int) (*Run, error) {
	r := &Run{Number: number}
	r.path = filepath.Join(runsPath(s), r.Name())
	text, err := os.ReadFile(filepath.Join(r.path, planName))
	if err != nil {
		return nil, err
	}
	if err := json.Unmarshal(text, &r.Plan); err != nil || r.Format != planFormat {
		return nil, exit.With(exit.InPart, fmt.Errorf("run %s cannot be read: its plan is damaged, or of another version", r.Name()))
	}
	r.begin()
	journal, err := os.ReadFile(filepath.Join(r.path, journalName))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, err
	}
	lines := bufio.NewScanner(bytes.NewReader(journal))
	lines.Buffer(nil, len(journal)+1)
	for lines.Scan() {
		var e entry
		if json.Unmarshal(lines.Bytes(), &e) != nil || e.Host < 0 || e.Host >= len(r.Hosts) {
			continue
		}
		h := r.Hosts[e.Host]
		h.State, h.Run, h.Until, h.Files, h.Why = e.State, e.Run, e.Until, e.Files, e.Why
		h.Digest, h.Store = e.Digest, e.Store
	}
	return r, nil
}

// Counts returns the number of hosts in each state.
func (r *Run) Counts() map[State]int {
	counts := map[State]int{}
	for _, h := range r.Hosts {
		counts[h.State]++
	}
	return counts
}

// Status returns the exit status of the run: of several the one that says most.
func (r *Run) Status() exit.Status {
	worst := exit.Done
	for _, h := range r.Hosts {
		for _, s := range []exit.Status{exit.InPart, exit.Refused, exit.Unreadable} { // in rising order
			if h.State.Status() == s && rank(s) > rank(worst) {
				worst = s
			}
		}
	}
	return worst
}

// rank orders the exit statuses of hosts.
func rank(s exit.Status) int {
	return slices.Index([]exit.Status{exit.Done, exit.InPart, exit.Refused, exit.Unreadable}, s)
}
