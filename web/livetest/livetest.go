// Package livetest is a page with a live list as a browser has it: it reads the
// list, follows the stream and lays the rows that come over those that stand
// there. Tests and benchmarks are its users.
package livetest

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"html"
	"io"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
)

// Page is a list that was read, and what became of it.
type Page struct {
	List, As string   // its address and when it was read
	Rows     []Row    // in their order
	Parts    []string // ids of what else was sent
	Again    bool     // the page is to be read anew

	at map[string]int // of the rows, nil when it is not known
}

// Row is a row of the list, or a line above some.
type Row struct{ ID, HTML string }

// Patch is what the stream sends of a list.
type Patch struct {
	List         string
	Again, Whole bool
	Gone         []string
	Rows         []struct{ ID, Before, HTML string }
	Parts        map[string]string
}

var (
	rowText  = regexp.MustCompile(`(?s)<tr class="(?:r|group)" id="([^"]+)".*?</tr>`)
	moreText = regexp.MustCompile(`data-more="([^"]+)"`)
	listText = regexp.MustCompile(`data-feed="([^"]*)" data-as="([^"]*)"`)
)

// Read reads a page and all pieces of its list.
func Read(c *http.Client, base, path string) (*Page, error) {
	text, err := get(c, base+path)
	if err != nil {
		return nil, err
	}
	named := listText.FindStringSubmatch(text)
	if named == nil {
		return nil, fmt.Errorf("%s is no list that is kept up to date", path)
	}
	p := &Page{List: html.UnescapeString(named[1]), As: named[2]}
	for {
		for _, m := range rowText.FindAllStringSubmatch(text, -1) {
			p.Rows = append(p.Rows, Row{m[1], m[0]})
		}
		more := moreText.FindStringSubmatch(text)
		if more == nil {
			return p, nil
		}
		if text, err = get(c, base+html.UnescapeString(more[1])); err != nil {
			return nil, err
		}
	}
}

func get(c *http.Client, address string) (string, error) {
	res, err := c.Get(address)
	if err != nil {
		return "", err
	}
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	if err == nil && res.StatusCode != http.StatusOK {
		err = fmt.Errorf("%s answers %s", address, res.Status)
	}
	return string(text), err
}

// Follow follows the stream for a page until the context or the stream ends,
// and hands over each event by its name with its data.
func (p *Page) Follow(ctx context.Context, c *http.Client, base string, each func(event, data string)) error {
	asks := url.Values{"list": {p.List}, "as": {p.As}}
	r, err := http.NewRequestWithContext(ctx, "GET", base+"/live?"+asks.Encode(), nil)
	if err != nil {
		return err
	}
	res, err := c.Do(r)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	lines := bufio.NewScanner(res.Body)
	lines.Buffer(nil, 64<<20)
	event := ""
	for lines.Scan() {
		if name, ok := strings.CutPrefix(lines.Text(), "event: "); ok {
			event = name
		}
		if data, ok := strings.CutPrefix(lines.Text(), "data: "); ok {
			each(event, data)
		}
	}
	return lines.Err()
}

// Lay lays a patch over the page, the last row first, as the browser does. It
// gives the rows that it laid.
func (p *Page) Lay(data string) ([]Row, error) {
	var patch Patch
	if err := json.Unmarshal([]byte(data), &patch); err != nil {
		return nil, err
	}
	p.Again = p.Again || patch.Again
	laid := make([]Row, len(patch.Rows))
	stays := map[string]bool{}
	for i, r := range patch.Rows {
		laid[i], stays[r.ID] = Row{r.ID, strings.TrimSpace(r.HTML)}, true
	}
	if len(patch.Gone) > 0 || patch.Whole {
		p.take(func(r Row) bool { return !stays[r.ID] && (patch.Whole || slices.Contains(patch.Gone, r.ID)) })
	}
	for i, r := range slices.Backward(patch.Rows) {
		p.put(laid[i], r.Before)
	}
	for id := range patch.Parts {
		p.Parts = append(p.Parts, id)
	}
	return laid, nil
}

func (p *Page) take(which func(Row) bool) { p.Rows, p.at = slices.DeleteFunc(p.Rows, which), nil }

func (p *Page) find(id string) (int, bool) {
	if p.at == nil {
		p.at = make(map[string]int, len(p.Rows))
		for i, r := range p.Rows {
			p.at[r.ID] = i
		}
	}
	i, ok := p.at[id]
	return i, ok
}

func (p *Page) put(row Row, before string) {
	below := len(p.Rows)
	if before != "" {
		i, ok := p.find(before)
		if !ok {
			p.take(func(r Row) bool { return r.ID == row.ID })
			return
		}
		below = i
	}
	if i, ok := p.find(row.ID); ok {
		if i+1 == below {
			p.Rows[i] = row
			return
		}
		p.take(func(r Row) bool { return r.ID == row.ID })
		if i < below {
			below--
		}
	}
	p.Rows, p.at = slices.Insert(p.Rows, below, row), nil
}
