// Package capture is the structure of a database in one file: JSON, comparable
// without any server.
package capture

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/core/sqltext"
)

// Format and Version identify the capture file. The version grows only when an older reader would misunderstand the file.
const (
	Format  = "dapper-mirror capture"
	Version = 1
)

// The JSON shapes. They are kept apart from the model so that the model can
// change without the file.

type jsonCatalog struct {
	Format      string            `json:"format"`
	Version     int               `json:"version"`
	Engine      string            `json:"engine"`
	Server      string            `json:"server_version,omitempty"`
	Place       string            `json:"place,omitempty"`
	FoldNames   bool              `json:"fold_names,omitempty"`
	Fingerprint string            `json:"fingerprint"`
	Checksum    string            `json:"checksum"`
	Gaps        []catalog.Gap     `json:"gaps,omitempty"`
	Limits      map[string]int64  `json:"limits,omitempty"`
	Settings    map[string]string `json:"settings,omitempty"`
	// Objects stays raw so that the checksum covers what a newer version
	// may have added and this one does not know.
	Objects json.RawMessage `json:"objects"`
}

type jsonObject struct {
	Kind       catalog.Kind   `json:"kind"`
	Schema     string         `json:"schema,omitempty"`
	Name       string         `json:"name"`
	ID         string         `json:"match,omitempty"`
	Space      string         `json:"space,omitempty"`
	Group      string         `json:"group,omitempty"`
	Properties []jsonProperty `json:"properties,omitempty"`
	Parts      []jsonObject   `json:"parts,omitempty"`
	Needs      []catalog.Need `json:"needs,omitempty"`
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
	Text  string       `json:"text"`
	Canon *string      `json:"canon,omitempty"` // only where it differs from the text
	Ref   *catalog.Ref `json:"ref,omitempty"`
}

func toJSON(o *catalog.Object) jsonObject {
	j := jsonObject{Kind: o.Kind, Schema: o.Schema, Name: o.Name, ID: o.ID, Space: o.Space, Group: o.Group, Needs: o.Needs}
	for _, p := range o.Properties {
		jp := jsonProperty{Name: p.Name, Carried: p.Carried, Defect: p.Defect, Order: p.Order, Group: p.Group, Key: p.Value.Key}
		switch v := p.Value; v.Form {
		case catalog.FormList:
			items := append([]string{}, v.Items...)
			jp.List = &items
		case catalog.FormSet:
			items := append([]string{}, v.Items...)
			jp.Set = &items
		case catalog.FormSQL:
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

func fromJSON(j jsonObject) *catalog.Object {
	o := &catalog.Object{Kind: j.Kind, Schema: j.Schema, Name: j.Name, ID: j.ID, Space: j.Space, Group: j.Group, Needs: j.Needs}
	for _, p := range j.Properties {
		v := catalog.Value{Key: p.Key}
		switch {
		case p.List != nil:
			v.Form, v.Items = catalog.FormList, *p.List
		case p.Set != nil:
			v.Form, v.Items = catalog.FormSet, *p.Set
		case p.SQL != nil:
			v.Form = catalog.FormSQL
			for _, pc := range p.SQL {
				q := catalog.Piece{Text: pc.Text, Canon: pc.Text, Ref: pc.Ref}
				if pc.Canon != nil {
					q.Canon = *pc.Canon
				}
				v.Pieces = append(v.Pieces, q)
			}
		case p.Value != nil:
			v.Text = *p.Value
		}
		o.Properties = append(o.Properties, catalog.Property{Name: p.Name, Carried: p.Carried, Defect: p.Defect, Order: p.Order, Group: p.Group, Value: v})
	}
	for _, p := range j.Parts {
		o.Parts = append(o.Parts, fromJSON(p))
	}
	return o
}

// Encode writes a structure as a capture file.
func Encode(w io.Writer, c *catalog.Catalog) error {
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
	j := jsonCatalog{Format: Format, Version: Version, Engine: c.Engine, Server: c.Version, Place: c.Place,
		FoldNames: c.FoldNames, Fingerprint: judge.Whole(c), Gaps: c.Gaps, Limits: c.Limits, Settings: c.Settings, Objects: raw.Bytes()}
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
func Decode(r io.Reader) (*catalog.Catalog, error) {
	data, err := io.ReadAll(r)
	if err != nil {
		return nil, err
	}
	var head struct {
		Format  string `json:"format"`
		Version int    `json:"version"`
	}
	headErr := json.Unmarshal(data, &head)
	if headErr == nil && head.Format != Format {
		return nil, ErrNotCapture
	}
	if headErr == nil && head.Version > Version {
		return nil, fmt.Errorf("%w: format %d, this program reads up to %d; update dapper-mirror", ErrNewerCapture, head.Version, Version)
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
	c := &catalog.Catalog{Engine: j.Engine, Version: j.Server, Place: j.Place, FoldNames: j.FoldNames, Gaps: j.Gaps, Limits: j.Limits, Settings: j.Settings}
	for _, o := range objects {
		c.Objects = append(c.Objects, fromJSON(o))
	}
	c.Find(catalog.Ref{}) // builds the index
	return c, nil
}
