// Walk uses the API as a client would: it is run beside a client that was generated from
// the description of the API, by the test that made that.
//
//	walk URL TOKEN NETWORK PORT
package main

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"strconv"
	"strings"
	"time"
)

// patience bounds each wait.
const patience = 40 * time.Second

func main() {
	if err := walk(os.Args[1], os.Args[2], os.Args[3], os.Args[4]); err != nil {
		fmt.Println(err)
		os.Exit(1)
	}
	fmt.Println("done")
}

// problem is an error where an answer is not as wanted.
func problem(what string, err error, wanted int, res *http.Response, body []byte) error {
	if err != nil {
		return fmt.Errorf("%s: %w", what, err)
	}
	if res.StatusCode != wanted {
		return fmt.Errorf("%s: %d instead of %d: %s", what, res.StatusCode, wanted, body)
	}
	return nil
}

func until(what string, is func() (bool, error)) error {
	for end := time.Now().Add(patience); time.Now().Before(end); time.Sleep(200 * time.Millisecond) {
		if done, err := is(); done || err != nil {
			return err
		}
	}
	return fmt.Errorf("%s did not come to be", what)
}

type walker struct {
	*ClientWithResponses
	ctx context.Context
}

func walk(url, token, network, port string) error {
	bearer := func(_ context.Context, r *http.Request) error {
		r.Header.Set("Authorization", "Bearer "+token)
		return nil
	}
	c, err := NewClientWithResponses(url+"/api", WithRequestEditorFn(bearer))
	if err != nil {
		return err
	}
	w := walker{c, context.Background()}
	site, err := w.site()
	if err != nil {
		return err
	}
	number, err := strconv.ParseInt(port, 10, 64)
	if err != nil {
		return err
	}
	device, err := w.adopted(site, network, number)
	if err != nil {
		return err
	}
	if err := w.collected(device); err != nil {
		return err
	}
	if err := w.renamed(device); err != nil {
		return err
	}
	if err := w.incident(device); err != nil {
		return err
	}
	return w.exported(device)
}

// site makes an organisation and a site in it.
func (w walker) site() (int64, error) {
	root, err := w.MakePlaceWithResponse(w.ctx, nil, PlaceDraft{Name: "Kittiwake Line", Kind: PlaceDraftKindOrganisation})
	if err := problem("an organisation", err, 201, root.HTTPResponse, root.Body); err != nil {
		return 0, err
	}
	site, err := w.MakePlaceWithResponse(w.ctx, nil, PlaceDraft{Name: "Sandhaven", Kind: PlaceDraftKindSite, ParentId: &root.JSON201.Id})
	if err := problem("a site", err, 201, site.HTTPResponse, site.Body); err != nil {
		return 0, err
	}
	return site.JSON201.Id, nil
}

// adopted sweeps a network and adopts the router that is found, with a kit that fits.
func (w walker) adopted(site int64, network string, port int64) (int64, error) {
	community := "c"
	key := "the-pier"
	draft := SweepDraft{Name: "pier", Ranges: network + "/26", Port: port, Community: &community}
	made, err := w.MakeSweepWithResponse(w.ctx, &MakeSweepParams{IdempotencyKey: &key}, draft)
	if err := problem("a sweep", err, 201, made.HTTPResponse, made.Body); err != nil {
		return 0, err
	}
	sweep := made.JSON201.Id
	started, err := w.StartSweepWithResponse(w.ctx, sweep, nil)
	if err := problem("its start", err, 200, started.HTTPResponse, started.Body); err != nil {
		return 0, err
	}
	err = until("the end of the sweep", func() (bool, error) {
		now, err := w.ReadSweepWithResponse(w.ctx, sweep)
		if err := problem("its state", err, 200, now.HTTPResponse, now.Body); err != nil {
			return false, err
		}
		return now.JSON200.State == SweepStateDone, nil
	})
	if err != nil {
		return 0, err
	}
	search := "edge"
	finds, err := w.ListSweepFindsWithResponse(w.ctx, sweep, &ListSweepFindsParams{Q: &search})
	if err := problem("its finds", err, 200, finds.HTTPResponse, finds.Body); err != nil {
		return 0, err
	}
	if len(finds.JSON200.Items) != 1 {
		return 0, fmt.Errorf("one router should be found: %s", finds.Body)
	}
	kits, err := w.ListKitsWithResponse(w.ctx, nil)
	if err := problem("the kits", err, 200, kits.HTTPResponse, kits.Body); err != nil {
		return 0, err
	}
	if len(kits.JSON200.Items) == 0 {
		return 0, fmt.Errorf("there should be kits")
	}
	adopted, err := w.AdoptSweepWithResponse(w.ctx, sweep, nil, Adoption{
		FindIds: []int64{finds.JSON200.Items[0].Id},
		PlaceId: &site,
		Kits:    []string{"reachability", "interfaces"},
	})
	if err := problem("adopting", err, 200, adopted.HTTPResponse, adopted.Body); err != nil {
		return 0, err
	}
	return adopted.JSON200.Devices[0].Id, nil
}

// collected waits for the first value of every reading of a device.
func (w walker) collected(device int64) error {
	return until("a value of each reading", func() (bool, error) {
		if _, err := w.CollectDeviceWithResponse(w.ctx, device, nil); err != nil {
			return false, err
		}
		readings, err := w.ListDeviceReadingsWithResponse(w.ctx, device, nil)
		if err := problem("its readings", err, 200, readings.HTTPResponse, readings.Body); err != nil {
			return false, err
		}
		for _, x := range readings.JSON200.Items {
			if x.Value == nil {
				return false, nil
			}
		}
		return len(readings.JSON200.Items) > 5, nil
	})
}

// renamed changes a device twice from the same version: the second is told.
func (w walker) renamed(device int64) error {
	now, err := w.ReadDeviceWithResponse(w.ctx, device)
	if err := problem("the device", err, 200, now.HTTPResponse, now.Body); err != nil {
		return err
	}
	seen := now.HTTPResponse.Header.Get("ETag")
	for _, wanted := range []int{200, 412} {
		name := "Router of the pier"
		done, err := w.PatchDeviceWithApplicationMergePatchPlusJSONBodyWithResponse(w.ctx, device, &PatchDeviceParams{IfMatch: &seen},
			PatchDeviceApplicationMergePatchPlusJSONRequestBody{Friendly: &name})
		if err := problem("its friendly name", err, wanted, done.HTTPResponse, done.Body); err != nil {
			return err
		}
	}
	return nil
}

// incident lets a rule find fault with the device, and takes on what comes of it.
func (w walker) incident(device int64) error {
	if err := w.strict(); err != nil {
		return err
	}
	var id int64
	err := until("an incident", func() (bool, error) {
		if _, err := w.CollectDeviceWithResponse(w.ctx, device, nil); err != nil {
			return false, err
		}
		open := ListIncidentsParamsStateOpen
		found, err := w.ListIncidentsWithResponse(w.ctx, &ListIncidentsParams{State: &open, DeviceId: &device})
		if err := problem("the incidents", err, 200, found.HTTPResponse, found.Body); err != nil || len(found.JSON200.Items) == 0 {
			return false, err
		}
		id = found.JSON200.Items[0].Id
		return true, nil
	})
	if err != nil {
		return err
	}
	taken, err := w.AcknowledgeIncidentWithResponse(w.ctx, id, nil)
	if err := problem("taking it on", err, 200, taken.HTTPResponse, taken.Body); err != nil {
		return err
	}
	if taken.JSON200.State != DossierStateAcknowledged || len(taken.JSON200.Alerts) == 0 {
		return fmt.Errorf("it should be taken on, with its alerts: %s", taken.Body)
	}
	return nil
}

// strict makes the rule on round trips find fault with any.
func (w walker) strict() error {
	kit := "reachability"
	rules, err := w.ListRulesWithResponse(w.ctx, &ListRulesParams{Kit: &kit})
	if err := problem("the rules", err, 200, rules.HTTPResponse, rules.Body); err != nil {
		return err
	}
	for _, r := range rules.JSON200.Items {
		if r.Unit != "s" {
			continue
		}
		var condition any
		document := `{"side": "above", "for": "1 value", "levels": {"warning": {"at": 0.000000001, "recover": 0.0000000001}}}`
		if err := json.Unmarshal([]byte(document), &condition); err != nil {
			return err
		}
		done, err := w.PatchRuleWithApplicationMergePatchPlusJSONBodyWithResponse(w.ctx, r.Id, nil,
			PatchRuleApplicationMergePatchPlusJSONRequestBody{Condition: &condition})
		return problem("a stricter rule", err, 200, done.HTTPResponse, done.Body)
	}
	return fmt.Errorf("there should be a rule on round trips: %s", rules.Body)
}

// exported takes the samples of the device out.
func (w walker) exported(device int64) error {
	now, err := w.ReadDeviceWithResponse(w.ctx, device)
	if err := problem("the device", err, 200, now.HTTPResponse, now.Body); err != nil {
		return err
	}
	samples, err := w.ReadSamplesExportWithResponse(w.ctx, &ReadSamplesExportParams{Device: &now.JSON200.Name})
	if err := problem("the samples", err, 200, samples.HTTPResponse, samples.Body); err != nil {
		return err
	}
	if lines := strings.Count(string(samples.Body), "\n"); lines < 5 {
		return fmt.Errorf("there should be more samples than %d: %s", lines, samples.Body)
	}
	return nil
}
