// Package demo loads the demo world: the simulated estate as it was in the
// last two weeks, seen through its network interfaces only.
package demo

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/netip"
	"net/url"
	"time"

	"tirelessowl/internal/domain"
)

// Client commands the simulated estate.
type Client struct {
	URL  string
	HTTP http.Client
}

// Devices lists what is simulated.
func (c *Client) Devices(ctx context.Context) (out []domain.SimulatedDevice, err error) {
	return out, c.call(ctx, http.MethodGet, "/estate", nil, &out)
}

// Services lists what simulated devices serve besides their agents.
func (c *Client) Services(ctx context.Context) (out []domain.SimulatedService, err error) {
	return out, c.call(ctx, http.MethodGet, "/services", nil, &out)
}

// Authority is the certificate that signs those of the estate, as PEM.
func (c *Client) Authority(ctx context.Context) (string, error) {
	var out struct{ PEM string }
	err := c.call(ctx, http.MethodGet, "/authority", nil, &out)
	return out.PEM, err
}

// Faults lists what is broken.
func (c *Client) Faults(ctx context.Context) (out []domain.Fault, err error) {
	return out, c.call(ctx, http.MethodGet, "/faults", nil, &out)
}

// Break breaks something.
func (c *Client) Break(ctx context.Context, f domain.Fault) (out domain.Fault, err error) {
	return out, c.call(ctx, http.MethodPost, "/faults", f, &out)
}

// Mend mends something.
func (c *Client) Mend(ctx context.Context, id int) (out domain.Fault, err error) {
	return out, c.call(ctx, http.MethodDelete, fmt.Sprintf("/faults/%d", id), nil, &out)
}

// history opens the recorded past of a device.
func (c *Client) history(ctx context.Context, address netip.Addr, from, to time.Time, step time.Duration) (io.ReadCloser, error) {
	q := url.Values{
		"address": {address.String()},
		"from":    {fmt.Sprint(from.Unix())},
		"to":      {fmt.Sprint(to.Unix())},
		"step":    {fmt.Sprint(int(step.Seconds()))},
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, c.URL+"/history?"+q.Encode(), nil)
	if err != nil {
		return nil, err
	}
	res, err := c.HTTP.Do(req)
	if err != nil {
		return nil, err
	}
	if res.StatusCode != http.StatusOK {
		res.Body.Close()
		return nil, fmt.Errorf("the estate answers %s", res.Status)
	}
	return res.Body, nil
}

func (c *Client) call(ctx context.Context, method, path string, in, out any) error {
	ctx, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	var body io.Reader
	if in != nil {
		data, err := json.Marshal(in)
		if err != nil {
			return err
		}
		body = bytes.NewReader(data)
	}
	req, err := http.NewRequestWithContext(ctx, method, c.URL+path, body)
	if err != nil {
		return err
	}
	res, err := c.HTTP.Do(req)
	if err != nil {
		return fmt.Errorf("the simulated estate cannot be reached: %w", err)
	}
	defer res.Body.Close()
	if res.StatusCode >= 300 {
		var p struct{ Detail string }
		_ = json.NewDecoder(io.LimitReader(res.Body, 1<<16)).Decode(&p)
		return fmt.Errorf("the simulated estate refuses: %s", p.Detail)
	}
	return json.NewDecoder(res.Body).Decode(out)
}
