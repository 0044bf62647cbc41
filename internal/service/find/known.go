package find

import (
	"context"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/bounds"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
)

// known are the devices that are watched, by what they are recognised by.
type known struct {
	byIdentity, byAddress map[string]store.KnownDevice
}

func recogniser(all []store.KnownDevice) known {
	k := known{map[string]store.KnownDevice{}, map[string]store.KnownDevice{}}
	for _, d := range all {
		k.byAddress[d.Known] = d
		if d.Identity != "" {
			k.byIdentity[d.Identity] = d
		}
	}
	return k
}

// judge says whether a find is watched already, and what would change of that.
func (k known) judge(f *domain.Find, secrets map[domain.ID]store.Opened) {
	f.Verdict = domain.FindNew
	addresses := append([]string{f.Address}, f.Others...)
	d, ok := k.byIdentity[f.Identity]
	if !ok {
		i := slices.IndexFunc(addresses, func(a string) bool { _, ok := k.byAddress[a]; return ok })
		if i < 0 {
			return
		}
		d = k.byAddress[addresses[i]]
	}
	f.Verdict, f.DeviceID = domain.FindKnown, d.ID
	switch {
	case !slices.ContainsFunc(addresses, func(a string) bool { return k.byAddress[a].ID == d.ID }):
		f.Verdict, f.Proposal = domain.FindMoved, fmt.Sprintf("%s answers at %s; it is asked at %s", d.Name, f.Address, d.Address)
	case slices.Contains(addresses, d.Address) && d.Credential != 0 && f.CredentialID != 0 && f.CredentialID != d.Credential:
		f.Verdict = domain.FindMoved
		f.Proposal = fmt.Sprintf(
			"%s answers to “%s”; it is asked with “%s”",
			d.Name,
			secrets[f.CredentialID].Name,
			secrets[d.Credential].Name,
		)
	}
}

// TakeOver lets known devices be asked as a sweep found them: at another address,
// or with another credential. Their history stays with them.
func (s *Service) TakeOver(ctx context.Context, who access.Actor, sweepID domain.ID, ids []domain.ID) error {
	return s.desk.Do(ctx, who, takeOver, func(w *act.Work) error {
		if _, err := of(ctx, w, sweepID); err != nil {
			return err
		}
		moved, err := movedOf(ctx, w, sweepID, ids)
		if err != nil {
			return err
		}
		for _, f := range moved {
			if err := take(ctx, w, who, f); err != nil {
				return err
			}
			w.Then(func(ctx context.Context) error { return s.adopted(ctx, f.DeviceID) })
		}
		return nil
	})
}

// movedOf are finds of devices that were found to have moved.
func movedOf(ctx context.Context, w *act.Work, sweepID domain.ID, ids []domain.ID) (moved []domain.Find, err error) {
	all, err := w.Finds.Of(ctx, sweepID)
	if err != nil {
		return nil, err
	}
	for _, f := range all {
		if f.Verdict == domain.FindMoved && slices.Contains(ids, f.ID) {
			moved = append(moved, f)
		}
	}
	if len(moved) != len(ids) || len(ids) == 0 {
		return nil, domain.FieldErrors{"find_ids": "Choose finds of devices that were found to have moved."}
	}
	return moved, nil
}

// take lets one device be asked as it was found.
func take(ctx context.Context, w *act.Work, who access.Actor, f domain.Find) error {
	d, err := w.Device(f.DeviceID)
	if err != nil {
		return err
	}
	w.NoteFor(act.Device(d), nil, nil, f.Proposal)
	tx := w.Areas
	address, err := netip.ParseAddr(f.Address)
	if err != nil {
		return err
	}
	known, err := tx.Devices.Addresses(ctx, d.ID)
	if err != nil {
		return err
	}
	if !slices.Contains(append(f.Others, f.Address), d.Address.String()) && !slices.Contains(known, f.Address) {
		old := d.Address
		d.Address = address
		if err := tx.Devices.Readdress(ctx, d.ID, old, address); err != nil {
			return err
		}
		if err := tx.Devices.Update(ctx, d); err != nil {
			return err
		}
		if err := bounds.Keep(ctx, tx, who, "find_ids", d); err != nil {
			return err
		}
	}
	if err := bind(ctx, w, f.CredentialID, address); err != nil {
		return err
	}
	endpoints, err := tx.Endpoints.Of(ctx, d.ID)
	if err != nil {
		return err
	}
	for _, e := range endpoints {
		if e.Way == f.Way && f.CredentialID != 0 {
			e.CredentialID = f.CredentialID
			if err := tx.Endpoints.Save(ctx, e); err != nil {
				return err
			}
		}
	}
	return tx.Finds.SetVerdict(ctx, f.ID, domain.FindAdopted, d.ID)
}

// bind lets a credential be sent to an address: a sweep has done so already, and
// was answered.
func bind(ctx context.Context, w *act.Work, credential domain.ID, to netip.Addr) error {
	all, err := w.Credentials.All(ctx)
	if err != nil {
		return err
	}
	for _, c := range all {
		set, err := ranges.Read(c.Ranges)
		if c.ID != credential || err == nil && set.Contains(to) {
			continue
		}
		if err := collect.SetRanges(ctx, w, c, strings.TrimSpace(c.Ranges+"\n"+to.String())); err != nil {
			return err
		}
	}
	return nil
}
