package report

import (
	"bytes"
	_ "embed"
	"encoding/base64"
	"html/template"
	"strings"

	"grotta/api"
)

// Picture is one of a level, for the page.
type Picture struct {
	Name string
	PNG  []byte
}

//go:embed page.html
var pageText string

var page = template.Must(template.New("page").Funcs(template.FuncMap{
	"number": number,
	"place":  func(f api.Finding) string { return place(&f) },
	"over":   func(s api.Spent) bool { return s.Now > s.Most },
	"share":  func(s api.Spent) int { return int(min(100, 100*s.Now/s.Most)) },
	"fix": func(f api.Finding) string {
		if f.Fix == nil {
			return ""
		}
		return f.Fix.Describe()
	},
	"title": func(s string) string { return strings.ToUpper(s[:1]) + s[1:] },
}).Parse(pageText))

// Page writes reports as one HTML page that needs no other file: budgets, findings by family, pictures.
func Page(name, date string, reports []api.Report, pictures []Picture) ([]byte, error) {
	type picture struct {
		Name string
		URL  template.URL
	}
	type family struct {
		Name     string
		Findings []api.Finding
	}
	type sheet struct {
		api.Report
		Families []family
		Set      []api.Finding // waived
	}
	data := struct {
		Name, Date string
		Sheets     []sheet
		Pictures   []picture
	}{Name: name, Date: date}
	for _, p := range pictures {
		data.Pictures = append(data.Pictures, picture{p.Name, template.URL("data:image/png;base64," + base64.StdEncoding.EncodeToString(p.PNG))})
	}
	for _, r := range reports {
		s := sheet{Report: r}
		for _, name := range []string{"limits", "closure", "links", "look", "play"} {
			f := family{Name: name}
			for _, found := range r.Findings {
				if found.Family == name && found.Waived == "" {
					f.Findings = append(f.Findings, found)
				}
			}
			if len(f.Findings) > 0 {
				s.Families = append(s.Families, f)
			}
		}
		for _, found := range r.Findings {
			if found.Waived != "" {
				s.Set = append(s.Set, found)
			}
		}
		data.Sheets = append(data.Sheets, s)
	}
	var b bytes.Buffer
	err := page.Execute(&b, data)
	return b.Bytes(), err
}
