package catalog

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"sort"

	"dappermirror/internal/core/sqltext"
)

// CaptureFormat and CaptureVersion identify the capture file. The version
// grows only when an older reader would misunderstand the file.
const (
	CaptureFormat  = "dapper-mirror capture"
	CaptureVersion = 1
)

// Fingerprint is a short hash of an object: its counted facts and its parts,
// whatever their order, and nothing that is only carried.
func (o *Object) Fingerprint() string { return o.FingerprintWith(nil) }

// FingerprintWith is Fingerprint that also counts the facts of some groups.
func (o *Object) FingerprintWith(groups map[string]bool) string {
	h := sha256.New()
	o.digest(h, groups)
	return hex.EncodeToString(h.Sum(nil)[:10])
}

func (o *Object) digest(h io.Writer, groups map[string]bool) {
	fmt.Fprintf(h, "%q %q %q{", o.Kind, o.Schema, o.Key())
	props := make([]string, 0, len(o.Properties))
	for i := range o.Properties {
		p := &o.Properties[i]
		if p.Counts(groups) {
			props = append(props, fmt.Sprintf("%q=%q;", p.Name, p.Value.Canonical()))
		}
	}
	sort.Strings(props)
	for _, p := range props {
		io.WriteString(h, p)
	}
	parts := append([]*Object(nil), o.Parts...)
	sort.SliceStable(parts, func(i, j int) bool {
		if parts[i].Kind != parts[j].Kind {
			return parts[i].Kind < parts[j].Kind
		}
		return parts[i].Key() < parts[j].Key()
	})
	for _, p := range parts {
		p.digest(h, groups)
	}
	io.WriteString(h, "}")
}

// Fingerprint is a short hash of the whole structure.
func (c *Catalog) Fingerprint() string {
	objs := append([]*Object(nil), c.Objects...)
	sort.SliceStable(objs, func(i, j int) bool { return refLess(objs[i].Ref(), objs[j].Ref()) })
	h := sha256.New()
	fmt.Fprintf(h, "%s\n", c.Engine)
	for _, o := range objs {
		if o.Group == "" {
			o.digest(h, nil)
		}
	}
	return hex.EncodeToString(h.Sum(nil)[:10])
}

// The JSON shapes. They are kept apart from the model so that the model can
// change without the file.

type jsonCatalog struct {
	Format      string           `json:"format"`
	Version     int              `json:"version"`
	Engine      string           `json:"engine"`
	Server      string           `json:"server_version,omitempty"`
	Place       string           `json:"place,omitempty"`
	FoldNames   bool             `json:"fold_names,omitempty"`
	Fingerprint string           `json:"fingerprint"`
	Checksum    string           `json:"checksum"`
	Gaps        []Gap            `json:"gaps,omitempty"`
	Limits      map[string]int64 `json:"limits,omitempty"`
	// Objects stays raw so that the checksum covers what a newer version
	// may have added and this one does not know.
	Objects json.RawMessage `json:"objects"`
}

type jsonObject struct {
	Kind       Kind           `json:"kind"`
	Schema     string         `json:"schema,omitempty"`
	Name       string         `json:"name"`
	Match      string         `json:"match,omitempty"`
	Twin       string         `json:"twin,omitempty"`
	Space      string         `json:"space,omitempty"`
	Group      string         `json:"group,omitempty"`
	Label      string         `json:"label,omitempty"`
	Properties []jsonProperty `json:"properties,omitempty"`
	Parts      []jsonObject   `json:"parts,omitempty"`
	Needs      []Need         `json:"needs,omitempty"`
}

type jsonProperty struct {
	Name    string      `json:"name"`
	Carried bool        `json:"carried,omitempty"`
	Defect  bool        `json:"defect,omitempty"`
	Order   bool        `json:"order,omitempty"`
	Group   string      `json:"group,omitempty"`
	Value   *string     `json:"value,omitempty"`
	List    *[]string   `json:"list,omitempty"`
	Set     *[]string   `json:"set,omitempty"`
	SQL     []jsonPiece `json:"sql,omitempty"`
	Key     string      `json:"key,omitempty"`
}

type jsonPiece struct {
	Text  string  `json:"text"`
	Canon *string `json:"canon,omitempty"` // only where it differs from the text
	Ref   *Ref    `json:"ref,omitempty"`
}

func toJSON(o *Object) jsonObject {
	j := jsonObject{Kind: o.Kind, Schema: o.Schema, Name: o.Name, Match: o.Match, Twin: o.Twin, Space: o.Space, Group: o.Group, Label: o.Label, Needs: o.Needs}
	for _, p := range o.Properties {
		jp := jsonProperty{Name: p.Name, Carried: p.Carried, Defect: p.Defect, Order: p.Order, Group: p.Group, Key: p.Value.Key}
		switch v := p.Value; v.Form {
		case FormList:
			items := append([]string{}, v.Items...)
			jp.List = &items
		case FormSet:
			items := append([]string{}, v.Items...)
			jp.Set = &items
		case FormSQL:
			for _, pc := range v.Pieces {
				q := jsonPiece{Text: pc.Text, Ref: pc.Ref}
				if pc.Canon != pc.Text {
					canon := pc.Canon
					q.Canon = &canon
				}
				jp.SQL = append(jp.SQL, q)
			}
		default:
			text := v.Text
			jp.Value = &text
		}
		j.Properties = append(j.Properties, jp)
	}
	for _, p := range o.Parts {
		j.Parts = append(j.Parts, toJSON(p))
	}
	return j
}

func fromJSON(j jsonObject) *Object {
	o := &Object{Kind: j.Kind, Schema: j.Schema, Name: j.Name, Match: j.Match, Twin: j.Twin, Space: j.Space, Group: j.Group, Label: j.Label, Needs: j.Needs}
	for _, p := range j.Properties {
		v := Value{Key: p.Key}
		switch {
		case p.List != nil:
			v.Form, v.Items = FormList, *p.List
		case p.Set != nil:
			v.Form, v.Items = FormSet, *p.Set
		case p.SQL != nil:
			v.Form = FormSQL
			for _, pc := range p.SQL {
				q := Piece{Text: pc.Text, Canon: pc.Text, Ref: pc.Ref}
				if pc.Canon != nil {
					q.Canon = *pc.Canon
				}
				v.Pieces = append(v.Pieces, q)
			}
		case p.Value != nil:
			v.Text = *p.Value
		}
		o.Properties = append(o.Properties, Property{Name: p.Name, Carried: p.Carried, Defect: p.Defect, Order: p.Order, Group: p.Group, Value: v})
	}
	for _, p := range j.Parts {
		o.Parts = append(o.Parts, fromJSON(p))
	}
	return o
}

// Encode writes the catalog as a capture file.
func (c *Catalog) Encode(w io.Writer) error {
	objects := make([]jsonObject, 0, len(c.Objects))
	for _, o := range c.Objects {
		objects = append(objects, toJSON(o))
	}
	var raw bytes.Buffer
	enc := json.NewEncoder(&raw)
	enc.SetEscapeHTML(false)
	if err := enc.Encode(objects); err != nil {
		return err
	}
	raw = *bytes.NewBuffer(sqltext.JSONSafe(raw.Bytes()))
	j := jsonCatalog{Format: CaptureFormat, Version: CaptureVersion, Engine: c.Engine, Server: c.Version, Place: c.Place,
		FoldNames: c.FoldNames, Fingerprint: c.Fingerprint(), Gaps: c.Gaps, Limits: c.Limits, Objects: raw.Bytes()}
	sum, err := j.sum()
	if err != nil {
		return err
	}
	j.Checksum = sum
	var out bytes.Buffer
	enc = json.NewEncoder(&out)
	enc.SetIndent("", " ")
	enc.SetEscapeHTML(false)
	if err := enc.Encode(j); err != nil {
		return err
	}
	_, err = w.Write(sqltext.JSONSafe(out.Bytes()))
	return err
}

// sum covers carried facts too, so that a damaged capture is noticed even
// where no difference would show it.
func (j jsonCatalog) sum() (string, error) {
	var b bytes.Buffer
	if err := json.Compact(&b, j.Objects); err != nil {
		return "", err
	}
	fmt.Fprint(&b, j.Engine, j.FoldNames, j.Fingerprint)
	s := sha256.Sum256(b.Bytes())
	return hex.EncodeToString(s[:10]), nil
}

// Errors that Decode reports; test with errors.Is.
var (
	ErrNotCapture   = errors.New("not a capture file")
	ErrNewerCapture = errors.New("the capture was written by a newer version")
	ErrDamaged      = errors.New("the capture is damaged")
)

// Decode reads a capture file. It fails with ErrNotCapture, ErrNewerCapture or
// ErrDamaged.
func Decode(r io.Reader) (*Catalog, error) {
	data, err := io.ReadAll(r)
	if err != nil {
		return nil, err
	}
	var head struct {
		Format  string `json:"format"`
		Version int    `json:"version"`
	}
	headErr := json.Unmarshal(data, &head)
	if headErr == nil && head.Format != CaptureFormat {
		return nil, ErrNotCapture
	}
	if headErr == nil && head.Version > CaptureVersion {
		return nil, fmt.Errorf("%w: format %d, this program reads up to %d; update dapper-mirror", ErrNewerCapture, head.Version, CaptureVersion)
	}
	var j jsonCatalog
	if err := json.Unmarshal(data, &j); err != nil {
		return nil, fmt.Errorf("%w (%v); capture the place again", ErrDamaged, err)
	}
	var objects []jsonObject
	if err := json.Unmarshal(j.Objects, &objects); err != nil {
		return nil, fmt.Errorf("%w (%v); capture the place again", ErrDamaged, err)
	}
	if sum, err := j.sum(); err != nil || sum != j.Checksum || j.Version < 1 {
		return nil, fmt.Errorf("%w: its contents do not match its checksum; capture the place again", ErrDamaged)
	}
	c := &Catalog{Engine: j.Engine, Version: j.Server, Place: j.Place, FoldNames: j.FoldNames, Gaps: j.Gaps, Limits: j.Limits}
	for _, o := range objects {
		c.Objects = append(c.Objects, fromJSON(o))
	}
	c.Find(Ref{}) // builds the index
	return c, nil
}
