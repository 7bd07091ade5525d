import { Random } from '../random.ts';
import { BIKE_COUNT, bikeId } from './trips.ts';

const ORDERS = 640;
const CODES = ['01', '02', '03', '07', '11', '12', '19'];
const TECHNICIANS = ['Fenn, Oda', 'Quill, Tam', 'Serle, Brock'];

/** `repairs.xml`: orders with their tasks, and the parts of each task. */
export function repairsFile(seed: number): string {
  const random = new Random(seed + 640);
  const orders = Array.from({ length: ORDERS }, (_, i) => {
    const tasks = Array.from({ length: random.whole(1, 3) }, () => {
      const parts = Array.from(
        { length: random.whole(0, 3) },
        () => `        <part no="${String(random.whole(17, 480)).padStart(5, '0')}" qty="${random.whole(1, 4)}"/>\n`,
      );
      const note =
        random.next() < 0.2
          ? `        <note>${random.pick(['rust &amp; wear', 'customer waited', 'see photo'])}</note>\n`
          : '';
      return `      <task fault="${random.pick(CODES)}">\n        <minutes>${random.whole(5, 90)}</minutes>\n${note}${parts.join('')}      </task>\n`;
    });
    const cost = `${(random.whole(400, 9000) / 100).toFixed(2)}${random.next() < 0.02 ? '-' : ''}`;
    return `    <order no="${String(i + 1).padStart(6, '0')}">\n      <bike>${bikeId(random.whole(1, BIKE_COUNT))}</bike>\n      <opened>${String(random.whole(1, 28)).padStart(2, '0')}.0${random.whole(1, 9)}.2026</opened>\n      <technician>${random.pick(TECHNICIANS)}</technician>\n      <cost currency="GBP">${cost}</cost>\n${tasks.join('')}    </order>\n`;
  });
  return `<?xml version="1.0" encoding="UTF-8"?>\n<export system="Tidebridge" made="2026-10-01">\n  <repairs>\n${orders.join('')}  </repairs>\n</export>\n`;
}

/** `repairs.xsd`: with assemblies that hold parts that may be assemblies again. */
export const REPAIRS_XSD = `<?xml version="1.0" encoding="UTF-8"?>
<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" elementFormDefault="unqualified">
  <xs:element name="export">
    <xs:complexType>
      <xs:sequence>
        <xs:element name="repairs">
          <xs:complexType>
            <xs:sequence>
              <xs:element name="order" type="Order" maxOccurs="unbounded"/>
            </xs:sequence>
          </xs:complexType>
        </xs:element>
      </xs:sequence>
      <xs:attribute name="system" type="xs:string"/>
      <xs:attribute name="made" type="xs:date"/>
    </xs:complexType>
  </xs:element>
  <xs:complexType name="Order">
    <xs:annotation><xs:documentation>One visit of one bike to the workshop</xs:documentation></xs:annotation>
    <xs:sequence>
      <xs:element name="bike" type="BikeNo"/>
      <xs:element name="opened" type="xs:string"/>
      <xs:element name="technician" type="xs:string" minOccurs="0"/>
      <xs:element name="cost" type="Cost" minOccurs="0"/>
      <xs:element name="task" type="Task" maxOccurs="unbounded"/>
    </xs:sequence>
    <xs:attribute name="no" type="OrderNo" use="required"/>
  </xs:complexType>
  <xs:complexType name="Task">
    <xs:sequence>
      <xs:element name="minutes" type="xs:int" minOccurs="0"/>
      <xs:element name="note" minOccurs="0">
        <xs:simpleType><xs:restriction base="xs:string"><xs:maxLength value="200"/></xs:restriction></xs:simpleType>
      </xs:element>
      <xs:element name="part" type="Part" minOccurs="0" maxOccurs="unbounded"/>
    </xs:sequence>
    <xs:attribute name="fault" type="FaultCode" use="required"/>
  </xs:complexType>
  <xs:complexType name="Part">
    <xs:annotation><xs:documentation>A part, or an assembly of parts</xs:documentation></xs:annotation>
    <xs:sequence>
      <xs:element name="part" type="Part" minOccurs="0" maxOccurs="unbounded"/>
    </xs:sequence>
    <xs:attribute name="no" type="xs:string" use="required"/>
    <xs:attribute name="qty" type="xs:int"/>
  </xs:complexType>
  <xs:complexType name="Cost">
    <xs:simpleContent>
      <xs:extension base="xs:string"><xs:attribute name="currency" type="xs:string"/></xs:extension>
    </xs:simpleContent>
  </xs:complexType>
  <xs:simpleType name="OrderNo">
    <xs:restriction base="xs:string"><xs:length value="6"/></xs:restriction>
  </xs:simpleType>
  <xs:simpleType name="BikeNo">
    <xs:annotation><xs:documentation>Seven digits, leading zeros count</xs:documentation></xs:annotation>
    <xs:restriction base="xs:string"><xs:pattern value="[0-9]{7}"/><xs:maxLength value="7"/></xs:restriction>
  </xs:simpleType>
  <xs:simpleType name="FaultCode">
    <xs:restriction base="xs:string">
      <xs:enumeration value="01"/><xs:enumeration value="02"/><xs:enumeration value="03"/>
      <xs:enumeration value="07"/><xs:enumeration value="11"/><xs:enumeration value="12"/>
    </xs:restriction>
  </xs:simpleType>
</xs:schema>
`;
