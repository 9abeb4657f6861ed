package message

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"time"

	"dappermirror/internal/files"
)

// kept is a letter that could not be sent.
type kept struct {
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
	for _, m := range messages {
		l := letter(m)
		if !m.For(l.Result) {
			continue
		}
		s := Sent{Where: m.Where(), Run: l.Run, Err: m.Send(ctx, l, output)}
		if s.Err != nil {
			err := o.keep(kept{m.Where(), time.Now(), 1, l})
			s.Kept, s.Err = err == nil, errors.Join(s.Err, err)
		}
		out = append(out, s)
	}
	return out
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
		to := slices.IndexFunc(messages, func(m Message) bool { return m.Where() == k.Where })
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

func (o Outbox) keep(k kept) error {
	if err := os.MkdirAll(o.Dir, 0o700); err != nil {
		return err
	}
	base := filepath.Join(o.Dir, fmt.Sprintf("%06d-%s", k.Letter.Run, files.Safe(k.Where)))
	path, err := files.Unused(base, ".json")
	if err != nil {
		return err
	}
	return o.put(path, k)
}

func (o Outbox) put(path string, k kept) error {
	data, err := json.MarshalIndent(k, "", "  ")
	if err != nil {
		return err
	}
	return files.Write(path, append(data, '\n'))
}
