import { expect, test } from '@playwright/test';

/** What a screen reader is told: the trees of the sheet and of failed records, in the order in which they are read. */
test('the sheet is told line by line: what goes in, how, what comes out, where it stands, what failed', async ({
  page,
}) => {
  await page.goto('/mappings/trips-to-warehouse');
  const grid = page.getByRole('grid', { name: 'Lines of the mapping' });
  await expect(grid.getByRole('gridcell', { name: 'TB-0078' })).toBeVisible();
  await expect(grid).toMatchAriaSnapshot(`
    - grid "Lines of the mapping":
      - row:
        - columnheader "Line"
        - columnheader "source Source field"
        - columnheader "Value"
        - columnheader "How"
        - columnheader "target Target field"
        - columnheader "Result"
        - columnheader "State"
        - columnheader "Failed"
      - row "The trip"
      - row:
        - gridcell "1"
        - gridcell "t.trip_id"
        - gridcell "0412001"
        - gridcell "straight"
        - gridcell /^Trip number key ?, varchar/
        - gridcell "0412001"
        - gridcell "agreed"
        - gridcell "4 failed records on line 1":
          - link "4 failed records on line 1"
      - row:
        - gridcell "2"
        - gridcell "t.bike_id"
        - gridcell "0007578"
        - gridcell "lookup code table bikes"
        - gridcell "Bike required, varchar(8)"
        - gridcell "TB-0078"
        - gridcell "agreed"
        - gridcell "12 failed records on line 2"
      - row /^3 t.from_station/
      - row /^4 t.to_station/
      - row /^5 t.member_no/
      - row /^6 t.tariff A lookup code table tariff Tariff required, varchar\\(12\\) MONTHLY question/
      - row "Time and way"
  `);
  // Which cell one stands on is told with its value; what can be done there, by its list.
  await grid.getByRole('gridcell', { name: 'TB-0078' }).click();
  await expect(page.getByLabel('Line 2, Bike, Result: TB-0078')).toBeFocused();
});

test('failed records are told by their causes, then the record with what is wrong, as read and as mapped', async ({
  page,
}) => {
  await page.goto('/failures?mapping=trips-to-warehouse&line=l11&cause=rule_error');
  await expect(page.getByRole('table', { name: 'As mapped' })).toBeVisible();
  await expect(page.getByRole('region', { name: 'Causes' })).toMatchAriaSnapshot(`
    - region "Causes":
      - heading "Failed records" [level=1]
      - status: 52 open, nine causes.
      - combobox "State of the records"
      - combobox "Mapping"
      - searchbox "Find in the records"
      - link /14 records. Line 11 Distance, km. [\\d.]+ is not a number with the decimal mark ,/
  `);
  await expect(page.getByRole('region', { name: 'Record', exact: true })).toMatchAriaSnapshot(`
    - region "Record":
      - heading /open$/ [level=2]
      - paragraph: /^row [\\d,]+ of trips-2026-\\d+\\.csv · 1 of 14 with this cause$/
      - link "Change the rule on line 11"
      - button "Replay all 14"
      - button "Replay this one"
      - button "Close without delivering …"
      - text: Line 11 Distance, km,
      - code: round(parse_number(t.miles, ',') * 1.609344, 2)
      - heading "source As read" [level=3]
      - table "As read":
        - rowgroup:
          - row /^trip_id \\d+/:
            - rowheader "trip_id"
            - cell
      - heading "target As mapped" [level=3]
      - table "As mapped":
        - rowgroup:
          - row /^Trip number \\d+/:
            - rowheader "Trip number"
            - cell
  `);
});
