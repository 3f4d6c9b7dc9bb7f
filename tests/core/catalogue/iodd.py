"""IODDs for tests: invented devices, written as the two versions of the specification have them."""

from __future__ import annotations

from tests import paths

DISTANCE = (paths.DEMO / "pd20_iodd.xml").read_text()

# As 1.0.1 has it: baudrate, ProductName and ProductText, no profile type of its own.
OLDER = """\
<?xml version="1.0" encoding="UTF-8"?>
<io:IODevice xmlns:io="http://example.invalid/IODD/1.0.1" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance">
 <io:ProfileBody>
  <io:DeviceIdentity vendorId="64017" vendorName="Pellmar Sensing" deviceId="77">
   <io:DeviceVariantCollection>
    <io:DeviceVariant productId="PT-1"><io:ProductName textId="T_N"/><io:ProductText textId="T_T"/></io:DeviceVariant>
   </io:DeviceVariantCollection>
  </io:DeviceIdentity>
  <io:DeviceFunction>
   <io:ProcessDataCollection>
    <io:ProcessData id="PD"><io:ProcessDataIn id="PDI" bitLength="16">
     <io:Datatype xsi:type="io:IntegerT" bitLength="16"/><io:Name textId="T_Temp"/></io:ProcessDataIn></io:ProcessData>
   </io:ProcessDataCollection>
  </io:DeviceFunction>
 </io:ProfileBody>
 <io:CommNetworkProfile iolinkRevision="V1.0">
  <io:TransportLayers><io:PhysicalLayer baudrate="COM2" minCycleTime="10000" sioSupported="false"/></io:TransportLayers>
 </io:CommNetworkProfile>
 <io:ExternalTextCollection><io:PrimaryLanguage xml:lang="en">
  <io:Text id="T_N" value="Temperature probe"/><io:Text id="T_T" value="Probe"/>
  <io:Text id="T_Temp" value="Temperature"/>
 </io:PrimaryLanguage></io:ExternalTextCollection>
</io:IODevice>
"""
