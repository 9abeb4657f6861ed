// Package formats writes a report in the form that the name of its file asks for.
package formats

import (
	"bytes"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"dappermirror/internal/report"
	"dappermirror/internal/report/junit"
	"dappermirror/internal/report/markdown"
	"dappermirror/internal/report/page"
	"dappermirror/internal/report/sheet"
	"dappermirror/internal/report/view"
)

// renderers are the forms, by the ends of names. JSON is the published shape itself.
var renderers = map[string]func(*view.Report) ([]byte, error){
	".html": page.Write, ".xlsx": sheet.Workbook, ".csv": sheet.CSV, ".xml": junit.Write, ".json": nil,
	".md": func(r *view.Report) ([]byte, error) { return markdown.Write(r), nil },
}

// Endings are the ends of names that say a form.
func Endings() []string {
	var out []string
	for e := range renderers {
		out = append(out, e)
	}
	slices.Sort(out)
	return out
}

// Check tells what is wrong with the name of a report's file.
func Check(path string) error {
	if _, ok := renderers[strings.ToLower(filepath.Ext(path))]; !ok {
		return fmt.Errorf("%s: the end of its name says what a report is: %s", path, strings.Join(Endings(), ", "))
	}
	return nil
}

// Render is the report of an output, in the form that the name of its file asks for.
func Render(path string, o report.Output) ([]byte, error) {
	if err := Check(path); err != nil {
		return nil, err
	}
	render := renderers[strings.ToLower(filepath.Ext(path))]
	if render != nil {
		return render(report.View(o))
	}
	var b bytes.Buffer
	err := report.WriteJSON(&b, o.Command, func(x *report.Output) {
		format, version := x.Format, x.Version
		*x = o
		x.Format, x.Version = format, version
	})
	return b.Bytes(), err
}
