package script

import (
	"bytes"
	"compress/flate"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"sort"
	"strconv"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/core/order"
)

// The footer is one line with the format and a hash of everything before it
// and of the data behind it, then the data: JSON, packed so that it stays a
// fraction of the script. What a step's comment says (its title, its risks,
// what the rows say) is not said again: it is read from there.
const (
	footMark = "-- @dapper-mirror "
	dataMark = "-- @ "
	dataLine = 96 // characters of data in a line
	mostData = 64 << 20
)

// packed is the data of a footer. Objects are named once, others point at them
// by their place.
type packed struct {
	Engine  string              `json:"engine"`
	Source  string              `json:"source"`
	Target  string              `json:"target"`
	Steps   int                 `json:"steps"`
	Held    int                 `json:"held,omitempty"`
	Said    []string            `json:"scope,omitempty"`
	Groups  []string            `json:"include,omitempty"`
	Role    string              `json:"as,omitempty"`
	Gone    []string            `json:"gone,omitempty"`
	Objects [][3]string         `json:"objects"`         // kind, schema, name
	Fits    [][3]any            `json:"fits"`            // object, fingerprint before, after
	Users   map[string][]string `json:"users,omitempty"` // what stood on an object
	Named   []int               `json:"named,omitempty"` // objects of whose tolerated names the steps speak
	Each    []packedStep        `json:"each"`
}

type packedStep struct {
	Object  int                    `json:"o"`
	Part    []string               `json:"p,omitempty"` // kind and name, where it is about one
	Touches []int                  `json:"t,omitempty"` // besides its object
	Flags   string                 `json:"f,omitempty"`
	Risks   map[string]catalog.Ref `json:"r,omitempty"` // of risks by their place, where they are on something else
	Saves   map[string]order.Save  `json:"s,omitempty"` // how what a risk destroys is saved
	Counts  map[string]string      `json:"c,omitempty"` // queries about what will fail
}

// The flags of a step.
const (
	flagCreates = "c"
	flagDrops   = "d"
	flagApart   = "a"
	flagLater   = "l"
	flagGuards  = "g"
	flagHeld    = "h"
)

// common are runs of text that most footers hold; they are packed to nothing.
const common = `"kind":"schema","name":"part_kind":"column","part":"primary-key"foreign-key"unique"check"index"trigger"table"view"routine"sequence"` +
	`{"lock":"LOCK TABLE IN ACCESS EXCLUSIVE MODE;","query":"SELECT 'INSERT INTO  (') VALUES (' || quote_nullable(::text) || ', ' || ');' FROM ONLY ` +
	`SELECT 'UPDATE  SET  = ' || quote() || ' WHERE  = ' || ';' FROM  WHERE  IS NOT NULL","first":"SET client_encoding = 'UTF8'; SET DateStyle = 'ISO, YMD'; SET standard_conforming_strings = on;"` +
	`LOCK TABLES WRITE;UNLOCK TABLES;SET NAMES utf8mb4, SESSION time_zone = '+00:00', SESSION sql_mode = 'NO_AUTO_VALUE_ON_ZERO';"release":"` +
	`{"engine":"postgres"mysql"sqlite","source":"","target":"","steps":,"held":,"scope":["--only","--except","include":["owners","grants","definers"],"as":"","objects":[["table","public",""],["view","","` +
	`]],"fits":[[0,"",""],[1,"","],"users":{"0":["]},"each":[{"o":0},{"o":1,"p":["column",""],"f":"c"},{"o":,"p":["index",""]},{"o":,"t":[],"f":"d"},"r":{"0":{"s":{"0":`

// short is how much of a fingerprint a footer carries: forty bits.
const short = 10

func shorten(fingerprint string) string { return fingerprint[:min(short, len(fingerprint))] }

// footer writes the footer.
func (w *writer) footer() {
	w.line("")
	w.foot(w.pack())
}

// foot closes a script with the data of its footer.
func (w *writer) foot(data string) {
	body := w.b.String()
	w.line(footMark + strconv.Itoa(Version) + " " + protect(body, data))
	for chunk := range slices.Chunk([]byte(data), dataLine) {
		w.line(dataMark + string(chunk))
	}
}

// protect is the hash of a script and the data of its footer.
func protect(body, data string) string {
	s := sha256.Sum256([]byte(body + "\x00" + data))
	return hex.EncodeToString(s[:8])
}

func (w *writer) goneNames() []string {
	var out []string
	for _, r := range w.Plan.Gone {
		if w.BackOf == "" {
			out = append(out, r.String())
		}
	}
	return out
}

func (w *writer) pack() string {
	p := packed{Engine: w.Engine.Name(), Source: w.Source, Target: w.Target, Steps: len(w.Plan.Steps), Held: len(w.Plan.Held), Said: w.Said, Groups: w.Groups, Role: w.Role, Gone: w.goneNames(), Fits: [][3]any{}, Objects: [][3]string{}}
	at := map[catalog.Ref]int{}
	object := func(r catalog.Ref) int {
		r = r.Object()
		n, ok := at[r]
		if !ok {
			n = len(p.Objects)
			at[r] = n
			p.Objects = append(p.Objects, [3]string{string(r.Kind), r.Schema, r.Name})
		}
		return n
	}
	for _, f := range fits(w.Plan, regard(w.Plan.Actual, w.Groups, w.Said)) {
		p.Fits = append(p.Fits, [3]any{object(f.On), f.Was, f.Then})
		if f.Named {
			p.Named = append(p.Named, object(f.On))
		}
		if len(f.Users) > 0 {
			if p.Users == nil {
				p.Users = map[string][]string{}
			}
			for _, u := range f.Users {
				key := strconv.Itoa(object(f.On))
				p.Users[key] = append(p.Users[key], strconv.Itoa(object(u)))
			}
		}
	}
	for i, s := range slices.Concat(w.Plan.Steps, w.Plan.Held) {
		info := stepInfo(w.Plan, s)
		info.Held = i >= len(w.Plan.Steps)
		st := packedStep{Object: object(info.About)}
		if info.About.IsPart() {
			st.Part = []string{string(info.About.PartKind), info.About.Part}
		}
		for _, t := range info.Touches {
			if t != info.About.Object() && !info.Held {
				st.Touches = append(st.Touches, object(t))
			}
		}
		for _, f := range []struct {
			is   bool
			flag string
		}{{info.Creates, flagCreates}, {info.Drops, flagDrops}, {info.Apart, flagApart}, {info.Later, flagLater}, {info.Guards, flagGuards}, {info.Held, flagHeld}} {
			if f.is {
				st.Flags += f.flag
			}
		}
		for n, r := range info.Risks {
			key := strconv.Itoa(n)
			if r.On != info.About {
				if st.Risks == nil {
					st.Risks = map[string]catalog.Ref{}
				}
				st.Risks[key] = r.On
			}
			if r.Save != nil && !info.Held {
				if st.Saves == nil {
					st.Saves = map[string]order.Save{}
				}
				st.Saves[key] = *r.Save
			}
			if r.Kind == order.WillFail && r.Rows != nil && r.Rows.Count != "" && !info.Held {
				if st.Counts == nil {
					st.Counts = map[string]string{}
				}
				st.Counts[key] = r.Rows.Count
			}
		}
		p.Each = append(p.Each, st)
	}
	return p.encode()
}

// encode is the data as a footer has it.
func (p packed) encode() string {
	var raw, out bytes.Buffer
	enc := json.NewEncoder(&raw)
	enc.SetEscapeHTML(false)
	_ = enc.Encode(p) // plain structs of strings always encode
	z, _ := flate.NewWriterDict(&out, flate.BestCompression, []byte(common))
	_, _ = z.Write(bytes.TrimSpace(raw.Bytes()))
	_ = z.Close()
	return base64.StdEncoding.EncodeToString(out.Bytes())
}

// Errors that Read reports; test with errors.Is.
var (
	ErrNotScript   = errors.New("it is not a script of this program: the footer is missing")
	ErrNewerScript = errors.New("the script was written by a newer version")
	ErrOlderScript = errors.New("the script was written by an older version, in a format that is no longer read")
	ErrCutShort    = errors.New("the script's footer is damaged")
)

// decode reads the data of a footer.
func decode(data string) (p packed, err error) {
	raw, err := base64.StdEncoding.DecodeString(data)
	if err != nil {
		return p, err
	}
	text, err := io.ReadAll(io.LimitReader(flate.NewReaderDict(bytes.NewReader(raw), []byte(common)), mostData+1))
	if err != nil {
		return p, err
	}
	if len(text) > mostData {
		return p, errors.New("it is too large")
	}
	return p, json.Unmarshal(text, &p)
}

// Retarget is a script of ours, which nobody edited, with another word on which
// targets it is for.
func Retarget(text []byte, target string) ([]byte, error) {
	s, err := Read(string(text))
	if err != nil {
		return nil, err
	}
	if s.Edited {
		return nil, errors.New("the script was edited")
	}
	lines := strings.SplitAfter(s.Body, "\n")
	field := fmt.Sprintf("-- %-12s", "target")
	from := slices.IndexFunc(lines, func(l string) bool { return strings.HasPrefix(l, field) })
	to := from + 1
	for to < len(lines) && strings.HasPrefix(lines[to], fmt.Sprintf("-- %-12s", "")) {
		to++
	}
	var w writer
	for _, l := range lines[:from] {
		w.b.WriteString(l)
	}
	w.field("target", target)
	for _, l := range lines[to:] {
		w.b.WriteString(l)
	}
	p := s.packed
	p.Target = target
	w.foot(p.encode())
	return w.b.Bytes(), nil
}

// unpack reads the data of a footer into the script. It is bounded: what
// claims to be more than any script needs is refused.
func (s *Script) unpack(data string) error {
	p, err := decode(data)
	if err != nil {
		return err
	}
	object := func(n int) (catalog.Ref, error) {
		if n < 0 || n >= len(p.Objects) {
			return catalog.Ref{}, fmt.Errorf("it has no object %d", n)
		}
		o := p.Objects[n]
		return catalog.Ref{Kind: catalog.Kind(o[0]), Schema: o[1], Name: o[2]}, nil
	}
	s.packed = p
	s.Meta = Meta{Engine: p.Engine, Source: p.Source, Target: p.Target, Steps: p.Steps, Held: p.Held, Said: p.Said, Groups: p.Groups, Role: p.Role, Gone: p.Gone}
	for _, f := range p.Fits {
		n, ok := f[0].(float64)
		was, ok1 := f[1].(string)
		then, ok2 := f[2].(string)
		on, err := object(int(n))
		if !ok || !ok1 || !ok2 || err != nil {
			return errors.New("a fingerprint is not understood")
		}
		fit := Fit{On: on, Was: was, Then: then, Named: slices.Contains(p.Named, int(n))}
		for _, u := range p.Users[strconv.Itoa(int(n))] {
			i, err := strconv.Atoi(u)
			if err != nil {
				return err
			}
			user, err := object(i)
			if err != nil {
				return err
			}
			fit.Users = append(fit.Users, user)
		}
		s.Fits = append(s.Fits, fit)
	}
	for i, st := range p.Each {
		about, err := object(st.Object)
		if err != nil {
			return err
		}
		info := StepInfo{Number: i + 1, Touches: []catalog.Ref{about}, packed: st}
		for _, t := range st.Touches {
			touched, err := object(t)
			if err != nil {
				return err
			}
			info.Touches = append(info.Touches, touched)
		}
		if len(st.Part) == 2 {
			about.PartKind, about.Part = catalog.Kind(st.Part[0]), st.Part[1]
		}
		info.About = about
		has := func(flag string) bool { return strings.Contains(st.Flags, flag) }
		info.Creates, info.Drops, info.Apart, info.Later, info.Guards, info.Held = has(flagCreates), has(flagDrops), has(flagApart), has(flagLater), has(flagGuards), has(flagHeld)
		s.Steps = append(s.Steps, info)
	}
	if s.Meta.Engine == "" || len(s.Steps) != s.Meta.Steps+s.Meta.Held {
		return errors.New("it does not tell of every step")
	}
	return nil
}

// fits are the objects the steps touch, with what stands on them, and those
// that these need.
func fits(p *order.Plan, counts judge.Regard) []Fit {
	touched, refs := map[catalog.Ref]bool{}, map[catalog.Ref]bool{}
	for _, s := range p.Steps {
		list := slices.Concat([]catalog.Ref{s.About}, s.Makes, s.Removes)
		for _, e := range s.Effects {
			list = append(list, e.On)
		}
		for _, r := range list {
			touched[r.Object()], refs[r.Object()] = true, true
			for _, c := range []*catalog.Catalog{p.Desired, p.Actual} {
				if o := c.Resolve(r); o != nil {
					for _, n := range o.Needs {
						if on := p.Actual.Find(n.On); on != nil && on.Read() {
							refs[n.On.Object()] = true
						}
					}
				}
			}
		}
	}
	users := dependents(p.Actual, touched)
	var out []Fit
	for r := range refs {
		if counts.Ignores(p.Actual.Find(r)) || counts.Ignores(p.Desired.Find(r)) {
			continue
		}
		f := Fit{On: r, Users: users[r]}
		counts.Named = false
		if o := p.Actual.Find(r); o != nil {
			f.Named = spoken(p, counts.Nameless(o))
			counts.Named = f.Named
			f.Was = shorten(counts.Fingerprint(o))
		}
		if o := p.Desired.Find(r); o != nil {
			f.Then = shorten(counts.Fingerprint(o))
		}
		if f.Was != "" || f.Then != "" {
			out = append(out, f)
		}
	}
	sort.Slice(out, func(i, j int) bool { return out[i].On.Less(out[j].On) })
	return out
}

// spoken tells whether the steps have one of some names in their statements.
func spoken(p *order.Plan, names []string) bool {
	return slices.ContainsFunc(names, func(n string) bool {
		return n != "" && slices.ContainsFunc(p.Steps, func(s *order.Step) bool {
			return slices.ContainsFunc(s.Statements(), func(sql string) bool { return strings.Contains(sql, n) })
		})
	})
}

// dependents lists, for some objects, the other objects that stand on them: what
// the engine records, not what a text may mean.
func dependents(c *catalog.Catalog, on map[catalog.Ref]bool) map[catalog.Ref][]catalog.Ref {
	out := map[catalog.Ref][]catalog.Ref{}
	note := func(owner *catalog.Object, needs []catalog.Need) {
		for _, n := range needs {
			r, u := n.On.Object(), owner.Ref()
			if on[r] && r != u && (!n.Text || n.Aspect == catalog.AspectIndex) && !slices.Contains(out[r], u) {
				out[r] = append(out[r], u)
			}
		}
	}
	for _, o := range c.Objects {
		note(o, o.Needs)
		for _, p := range o.Parts {
			note(o, p.Needs)
		}
	}
	return out
}
