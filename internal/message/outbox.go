package message

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"time"

	"dappermirror/internal/files"
)

// kept is a letter that could not be sent.
type kept struct {
	To     string    `json:"to"` // which message of the task
	Where  string    `json:"where"`
	Since  time.Time `json:"since"`
	Tries  int       `json:"tries"`
	Letter Letter    `json:"letter"`
}

// Letters that cannot be sent are given up after mostTries or mostAge, and only
// mostKept wait.
const (
	mostTries = 20
	mostAge   = 7 * 24 * time.Hour
	mostKept  = 100
)

// Outbox is a folder of letters that could not be sent.
type Outbox struct{ Dir string }

// Sent is what became of a letter.
type Sent struct {
	Where string
	Run   int
	Err   error // nil when it was sent
	Kept  bool  // it waits for the next run
	Again bool  // it had been kept
}

// Send sends by each of the messages the letter that is for it, where it is for such
// a result, and first what waits from before. Nothing that goes wrong stops the rest.
func (o Outbox) Send(ctx context.Context, messages []Message, letter func(Message) Letter, output io.Writer) []Sent {
	out := o.flush(ctx, messages, output)
	sent := make([]*Sent, len(messages))
	var all sync.WaitGroup
	lines := &serial{to: output}
	for i, m := range messages {
		l := letter(m)
		if !m.For(l.Result) {
			continue
		}
		all.Go(func() {
			s := &Sent{Where: m.Where(), Run: l.Run, Err: m.Send(ctx, l, lines)}
			if s.Err != nil {
				err := o.keep(kept{m.key(), m.Where(), time.Now(), 1, l}, i)
				s.Kept, s.Err = err == nil, errors.Join(s.Err, err)
			}
			sent[i] = s
		})
	}
	all.Wait()
	for _, s := range sent {
		if s != nil {
			out = append(out, *s)
		}
	}
	return out
}

// serial is a writer for several at once.
type serial struct {
	mu sync.Mutex
	to io.Writer
}

func (s *serial) Write(p []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.to.Write(p)
}

// key is the same for messages that are described in the same way.
func (m *Message) key() string {
	data, err := json.Marshal(m) // it says where secrets come from, and holds none
	if err != nil {
		return m.Where()
	}
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:8])
}

// flush tries once more to send what waits.
func (o Outbox) flush(ctx context.Context, messages []Message, output io.Writer) []Sent {
	var out []Sent
	list, _ := filepath.Glob(filepath.Join(o.Dir, "*.json"))
	slices.Sort(list)
	for i, path := range list {
		data, err := os.ReadFile(path)
		if err != nil {
			continue
		}
		var k kept
		if json.Unmarshal(data, &k) != nil {
			_ = os.Remove(path) // nobody can send it
			continue
		}
		s := Sent{Where: k.Where, Run: k.Letter.Run, Again: true}
		to := slices.IndexFunc(messages, func(m Message) bool { return m.key() == k.To })
		switch {
		case to < 0:
			s.Err = errors.New("the task no longer has this message; it is given up")
		case k.Tries >= mostTries || time.Since(k.Since) > mostAge || len(list)-i > mostKept:
			s.Err = fmt.Errorf("it could not be sent %d times since %s; it is given up", k.Tries, k.Since.Format("2006-01-02"))
		default:
			if s.Err = messages[to].Send(ctx, k.Letter, output); s.Err != nil {
				k.Tries++
				err := o.put(path, k)
				s.Kept, s.Err = err == nil, errors.Join(s.Err, err)
			}
		}
		if !s.Kept {
			_ = os.Remove(path)
		}
		out = append(out, s)
	}
	return out
}

func (o Outbox) keep(k kept, n int) error {
	if err := os.MkdirAll(o.Dir, 0o700); err != nil {
		return err
	}
	path := filepath.Join(o.Dir, fmt.Sprintf("%06d-%d-%s.json", k.Letter.Run, n+1, files.Safe(k.Where)))
	return o.put(path, k)
}

func (o Outbox) put(path string, k kept) error {
	data, err := json.MarshalIndent(k, "", "  ")
	if err != nil {
		return err
	}
	return files.Write(path, append(data, '\n'))
}
