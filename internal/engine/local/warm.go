package local

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"github.com/gofrs/flock"

	"dappermirror/internal/files"
)

// Keeper is the command line that keeps a server for the next call (Keep), to
// which its key is added; empty where each call has a server of its own.
var Keeper []string

// Lease is a throw-away server that is there for as long as it is needed.
type Lease struct {
	Address string
	Release func() error
}

// Key names a kind of server: of an engine, a variant of it, for one purpose.
// What rehearses is kept apart from what reads texts.
func Key(engine, variant, purpose string) string {
	return strings.Join([]string{engine, variant, purpose}, ".")
}

// Named is the engine and the variant that a key is of.
func Named(key string) (engine, variant string) {
	f := strings.SplitN(key, ".", 3)
	if len(f) < 3 {
		return key, ""
	}
	return f[0], f[1]
}

// Calm is a context for what makes a scratch database, and what takes it away:
// given up in the middle, nobody would know what is there.
func Calm(ctx context.Context) (context.Context, context.CancelFunc) {
	return context.WithTimeout(context.WithoutCancel(ctx), 30*time.Second)
}

// known is what the keeper writes down of its server.
type known struct {
	Address string `json:"address"`
}

// paths are the files that calls and keepers of one server agree by.
type paths struct{ lock, starting, known, log string }

func meeting(key string) (paths, error) {
	dir := filepath.Join(os.TempDir(), fmt.Sprintf("dapper-mirror-%d", os.Getuid()))
	if err := os.Mkdir(dir, 0o700); err != nil && !errors.Is(err, os.ErrExist) {
		return paths{}, err
	}
	if err := ours(dir); err != nil {
		return paths{}, err
	}
	base := filepath.Join(dir, key)
	return paths{lock: base + ".lock", starting: base + ".starting", known: base + ".json", log: base + ".log"}, nil
}

// step is how often calls and keepers look.
const step = 20 * time.Millisecond

// Rent answers a server that an earlier call left running, or starts one; ready
// tells whether one answers. Without a keeper, or where the two cannot meet,
// start makes one for this call alone.
func Rent(ctx context.Context, key string, ready func(context.Context, string) error, start func(context.Context) (string, func() error, error)) (Lease, error) {
	alone := func() (Lease, error) {
		address, stop, err := start(ctx)
		return Lease{address, stop}, err
	}
	if len(Keeper) == 0 {
		return alone()
	}
	at, err := meeting(key)
	if err != nil {
		return alone()
	}
	for range 3 { // a keeper may end just now
		lease, found, err := join(ctx, at, ready)
		if found || err != nil {
			return lease, err
		}
		if err := hire(ctx, key, at, ready); err != nil {
			return Lease{}, err
		}
	}
	return alone()
}

// join takes part in a server that runs.
func join(ctx context.Context, at paths, ready func(context.Context, string) error) (Lease, bool, error) {
	lock := flock.New(at.lock)
	if ok, err := lock.TryRLockContext(ctx, step); err != nil || !ok {
		return Lease{}, false, err
	}
	var k known
	data, err := os.ReadFile(at.known)
	if err == nil {
		err = json.Unmarshal(data, &k)
	}
	if err == nil {
		err = ready(ctx, k.Address)
	}
	if err != nil {
		if ctx.Err() != nil {
			_ = lock.Unlock() // nobody waits for it any more
			return Lease{}, false, ctx.Err()
		}
		_ = os.Remove(at.known) // there is none, or it is gone without a word
		return Lease{}, false, lock.Unlock()
	}
	touch := func() { now := time.Now(); _ = os.Chtimes(at.lock, now, now) } // at worst it ends earlier
	touch()
	return Lease{k.Address, func() error { touch(); return lock.Unlock() }}, true, nil
}

// hire starts a keeper and waits for its server.
func hire(ctx context.Context, key string, at paths, ready func(context.Context, string) error) error {
	starting := flock.New(at.starting)
	if ok, err := starting.TryLockContext(ctx, step); err != nil || !ok {
		return err
	}
	defer starting.Unlock()
	if data, err := os.ReadFile(at.known); err == nil { // somebody else was quicker
		var k known
		if json.Unmarshal(data, &k) == nil && ready(ctx, k.Address) == nil {
			return nil
		}
	}
	log, err := os.Create(at.log)
	if err != nil {
		return err
	}
	defer log.Close()
	cmd := exec.Command(Keeper[0], append(Keeper[1:len(Keeper):len(Keeper)], key)...)
	cmd.Stderr, cmd.Dir = log, filepath.Dir(at.log)
	apart(cmd)
	if err := cmd.Start(); err != nil {
		return err
	}
	ended := make(chan error, 1)
	go func() { ended <- cmd.Wait() }()
	for {
		if _, err := os.Stat(at.known); err == nil {
			return nil
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-ended:
			text, _ := os.ReadFile(at.log)
			return fmt.Errorf("starting a throw-away server: %s", last(string(text)))
		case <-time.After(step):
		}
	}
}

// Keep starts a server and keeps it until no call has used it for the time, or
// the folder where calls look for it is gone.
func Keep(ctx context.Context, key string, idle time.Duration, start func(context.Context) (string, func() error, error)) error {
	at, err := meeting(key)
	if err != nil {
		return err
	}
	address, stop, err := start(ctx)
	if err != nil {
		return err
	}
	defer stop()
	lock := flock.New(at.lock)
	if ok, err := lock.TryRLockContext(ctx, step); err != nil || !ok {
		return err
	}
	now := time.Now()
	_ = os.Chtimes(at.lock, now, now) // idle counts from here
	data, err := json.Marshal(known{address})
	if err == nil {
		err = files.Write(at.known, data)
	}
	if e := lock.Unlock(); err == nil {
		err = e
	}
	for err == nil {
		select {
		case <-ctx.Done():
			_ = os.Remove(at.known)
			return nil
		case <-time.After(10 * step):
		}
		if _, gone := os.Stat(filepath.Dir(at.lock)); gone != nil {
			return nil
		}
		var free bool
		if free, err = lock.TryLock(); err != nil || !free {
			continue // somebody is at work
		}
		st, e := os.Stat(at.lock)
		if _, gone := os.Stat(at.known); e != nil || gone != nil || time.Since(st.ModTime()) >= idle {
			_ = os.Remove(at.known) // nobody can join any more
			return lock.Unlock()
		}
		err = lock.Unlock()
	}
	return err
}
